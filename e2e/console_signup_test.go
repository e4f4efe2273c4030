package e2e

import (
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Somebody of the dredgers signs up on the pages: from the page of signing in to their own, by the link
// that was mailed.
func TestSigningUpOnThePages(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	b := testkit.NewTab(t, s.Base)
	b.Go("/today")
	b.Press("No account yet? Sign up")
	b.Type("Your e-mail address at work", "oda.lind@estuary-dredging.example")
	b.Accessible()
	b.Press("Mail me a link")
	b.Sees("If you may sign up with this address, a link is on its way to it.")
	l := box.waitsFor(t, "oda.lind@estuary-dredging.example", 1)
	b.Go(strings.TrimPrefix(signUpIn.FindString(l.Text), s.Base))
	b.Sees("Your user name is your e-mail address.")
	b.Accessible()
	b.Type("Your name", "Oda Lind")
	b.Type("Password, 12 characters or more", "estuary")
	b.Press("Sign up")
	b.Sees("12 characters")
	b.Set("Password, 12 characters or more", newPassword)
	b.Press("Sign up")
	b.Sees("Oda Lind")
	x := at(t, s, demo.Administrator)
	x.says(0, "engineering/dredging", "users", "show", "oda.lind@estuary-dredging.example")
}
