package e2e

import (
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// By pages: a press leads to the identity provider and back to where one was; a code is asked for
// where the provider proved no factor; signing out leads to signing out there; who is nobody here is
// told so, and links their account in My access.
func TestSignInByAnIdentityProviderInTheConsole(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), nil)
	b := testkit.NewTab(t, h.service.Base)
	b.Go("/my-access")
	b.Sees("Sign in with Harbour ID")
	b.Accessible()
	b.Press("Sign in with Harbour ID")
	b.Sees("A made-up identity provider")
	b.Accessible()
	b.Press("Continue as Inês Halloran")
	b.Sees("Identity providers")
	b.Until("one is where one was", `location.pathname === "/my-access" && location.search === ""`)
	b.Sees("account-ines.halloran")
	b.Accessible()
	b.Press("Inês Halloran ▾")
	b.Press("Sign out")
	b.Sees("You are signed out of Harbour ID")
	b.Press("Back to Able Roster")
	b.Press("Sign in with Harbour ID")
	b.Press("Continue as A Stranger")
	b.Sees("linked to nobody here")
	b.Accessible()
	b.Press("Back to signing in")
	b.SignIn("tomas.brandt", demo.Password)
	b.Go("/my-access")
	b.Sees("Link Harbour ID")
	b.Type("Your password, to link an account of yours", demo.Password)
	b.Press("Link Harbour ID")
	b.Press("Continue as A Stranger")
	b.Sees("account-a.stranger")
	b.Accessible()
	b.Press("Unlink Harbour ID")
	b.Sees("Link Harbour ID")
}
