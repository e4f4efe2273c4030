package e2e

import (
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

var signUpIn = regexp.MustCompile(`http\S+/sign-up#(\S+)`)

// Whoever has an address in a mail domain with a rule is mailed a link, and is a user by it, with what
// default rules give to a user like that; nobody is one before. An address by which nobody may sign up,
// and one that somebody has, are answered alike.
func TestWhoeverHasAnAddressInADomainSignsUp(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	x := at(t, s, demo.Administrator)
	x.says(0, "Whoever has an address in tug-crews.example may sign up", "sign-up-rules", "set", "Tug-Crews.example", "-unit", "marine/tugs", "-employment-type", "contractor",
		"-company", "Tug Crews", "-sponsor", demo.Manager, "-days", "90", "-reason", "The crews of the summer")
	stranger, marta := s.Client(""), s.SignIn(t, demo.Administrator)
	revision := revisionOf(t, marta)
	for _, email := range []string{"Oda.Lind@tug-crews.example", "oda.lind@other-crews.example", "ines.halloran@larkhaven.example"} {
		if err := stranger.AskToSignUp(ctx, email); err != nil {
			t.Errorf("%s: %v", email, err)
		}
	}
	const oda = "Oda.Lind@tug-crews.example" // the mailbox’s own name is kept as it was typed
	l := box.waitsFor(t, oda, 1)
	if l.Subject != "Larkhaven Port Authority: sign up" || strings.Contains(l.Text, "Oda") {
		t.Errorf("%+v", l)
	}
	first := signUpIn.FindStringSubmatch(l.Text)[1]
	testkit.Until(t, "all mails to be done with", func() bool {
		all, err := marta.Mails(ctx)
		return err == nil && !slices.ContainsFunc(all.Mails, func(m wire.Mail) bool { return m.State == "waiting" })
	})
	if all := box.all(t); slices.ContainsFunc(all, func(l letter) bool { return strings.Contains(l.Subject, "sign up") && !slices.Contains(l.To, oda) }) {
		t.Errorf("somebody was mailed who may not sign up: %+v", all)
	}
	if now := revisionOf(t, marta); now != revision {
		t.Errorf("asking to sign up made revision %d", now)
	}
	// Asked again, the link before is void; one that is wrong, or a password that is no good, does nothing.
	if err := stranger.AskToSignUp(ctx, strings.ToLower(oda)); err != nil {
		t.Fatal(err)
	}
	code := signUpIn.FindStringSubmatch(box.waitsFor(t, strings.ToLower(oda), 1).Text)[1]
	problem(t, stranger.SignUp(ctx, first, "Oda Lind", newPassword), 403, "refused")
	problem(t, stranger.SignUp(ctx, "nothing-like-it", "Oda Lind", newPassword), 403, "refused")
	problem(t, stranger.SignUp(ctx, code, "", "tug-crews.example"), 422, "invalid")
	if now := revisionOf(t, marta); now != revision {
		t.Errorf("what was refused made revision %d", now)
	}
	// Pressed several times at once, there is one user, and one of them is signed in.
	var in sync.WaitGroup
	var mu sync.Mutex
	done := 0
	for range 4 {
		in.Go(func() {
			if err := s.Client("").SignUp(ctx, code, "Oda Lind", newPassword); err == nil {
				mu.Lock()
				done++
				mu.Unlock()
			}
		})
	}
	in.Wait()
	if done == 0 {
		t.Fatal("nobody signed up")
	}
	problem(t, stranger.SignUp(ctx, code, "Oda Lind", newPassword), 403, "refused")
	u, err := marta.User(ctx, strings.ToLower(oda), nil)
	if err != nil {
		t.Fatal(err)
	}
	last := time.Now().AddDate(0, 0, 90)
	if u.Status != "active" || u.Unit != "marine/tugs" || u.EmploymentType != "contractor" || u.Company != "Tug Crews" || u.Manager == nil || u.Manager.Key != demo.Manager ||
		u.EndDate < last.AddDate(0, 0, -1).Format(time.DateOnly) || u.EndDate > last.AddDate(0, 0, 1).Format(time.DateOnly) {
		t.Errorf("%+v", u)
	}
	// They have what default rules give to a user like that, and nothing else.
	preview, err := marta.NewUserPreview(ctx, map[string]string{"would_be": `{"unit":"marine/tugs","employment_type":"contractor"}`})
	if err != nil {
		t.Fatal(err)
	}
	has, err := marta.Access(ctx, strings.ToLower(oda), nil)
	if err != nil {
		t.Fatal(err)
	}
	lines := func(all []wire.AccessLine) (out []string) {
		for _, l := range all {
			out = append(out, l.Application.Key+" "+strings.Join(l.Actions, ",")+" "+l.Pattern)
		}
		slices.Sort(out)
		return out
	}
	if would, has := lines(preview.Lines), lines(has.Lines); len(has) == 0 || !slices.Equal(would, has) {
		t.Errorf("has %q, and would have %q", has, would)
	}
	if history := x.says(0, "", "history", "-user", strings.ToLower(oda)); !strings.Contains(history, "Signed up, as whoever has an address in tug-crews.example may") || !strings.Contains(history, "Took up the invitation") {
		t.Error(history)
	}
	if _, err := s.Client("").SignIn(ctx, strings.ToLower(oda), newPassword, "x"); err != nil {
		t.Errorf("with the password: %v", err)
	}
	x.says(0, "Nobody is invited", "invitations", "list")
	// Whoever has an account and signs up is told so by mail, and by nothing else.
	if err := stranger.AskToSignUp(ctx, oda); err != nil {
		t.Fatal(err)
	}
	if l := box.waitsFor(t, oda, 2); l.Subject != "Larkhaven Port Authority: you have an account" || !strings.Contains(l.Text, strings.ToLower(oda)) {
		t.Errorf("%+v", l)
	}
	// However its domain is written, a mailbox has one account; who is added here meanwhile is not added again.
	if err := stranger.AskToSignUp(ctx, "una.berg@TUG-crews.EXAMPLE"); err != nil {
		t.Fatal(err)
	}
	code = signUpIn.FindStringSubmatch(box.waitsFor(t, "una.berg@tug-crews.example", 1).Text)[1]
	x.says(0, "Added Una Berg", "users", "add", "una.b", "-name", "Una Berg", "-email", "una.berg@tug-crews.example", "-reason", "By the office")
	if p := problem(t, stranger.SignUp(ctx, code, "Una Berg", newPassword), 403, "refused"); !strings.Contains(p.Detail, "you have an account already, una.b") {
		t.Error(p.Detail)
	}
	// Asking often is slowed.
	for n := 0; ; n++ {
		err := stranger.AskToSignUp(ctx, "again@tug-crews.example")
		if err != nil {
			problem(t, err, 429, "too-many-attempts")
			break
		}
		if n > 20 {
			t.Fatal("nobody is slowed")
		}
	}
}

// A rule rests when whoever set it may not add users any more, and says why; the link that was mailed
// adds nobody then. Without a rule nobody signs up, and what is no address is told.
func TestASignUpRuleRests(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	x := at(t, s, demo.Administrator)
	stranger := s.Client("")
	problem(t, stranger.AskToSignUp(ctx, "nobody"), 422, "invalid")
	x.says(3, "is not a mail domain", "sign-up-rules", "set", "tug crews", "-reason", "x")
	x.says(3, "company: is missing", "sign-up-rules", "set", "tug-crews.example", "-employment-type", "contractor", "-reason", "x")
	x.says(3, "there is no unit", "sign-up-rules", "set", "tug-crews.example", "-unit", "marine/tgs", "-reason", "x")
	// A second administrator sets it, asks for nothing more, and leaves.
	x.says(0, "", "grant", demo.Manager, "access-administrator", "-acknowledge", "administering_gain", "-reason", "For the summer")
	y := at(t, s, demo.Manager)
	y.says(0, "may sign up", "sign-up-rules", "set", "tug-crews.example", "-unit", "marine/tugs", "-reason", "The crews of the summer")
	if err := stranger.AskToSignUp(ctx, "oda.lind@tug-crews.example"); err != nil {
		t.Fatal(err)
	}
	code := signUpIn.FindStringSubmatch(box.waitsFor(t, "oda.lind@tug-crews.example", 1).Text)[1]
	x.says(0, "Revoked", "revoke", demo.Manager, "access-administrator", "-reason", "The summer is over")
	x.says(0, "Revoked", "revoke", demo.Manager, "marine-manager", "-acknowledge", "wide_loss", "-reason", "Has another post")
	x.says(0, "rests: Whoever set it may not add users in marine/tugs any more", "sign-up-rules", "list")
	p := problem(t, stranger.SignUp(ctx, code, "Oda Lind", newPassword), 403, "refused")
	if !strings.Contains(p.Detail, "just now") {
		t.Error(p.Detail)
	}
	x.says(3, "there is no user", "users", "show", "oda.lind@tug-crews.example")
	// Set again, the same link is good.
	x.says(0, "may sign up", "sign-up-rules", "set", "tug-crews.example", "-unit", "marine/tugs", "-reason", "By who may")
	if err := stranger.SignUp(ctx, code, "Oda Lind", newPassword); err != nil {
		t.Fatal(err)
	}
	x.says(0, "marine/tugs", "users", "show", "oda.lind@tug-crews.example")
	// The unit of a rule moves with it, and is not ended under it.
	x.says(3, "the sign-up rule for tug-crews.example adds users to marine/tugs", "units", "merge", "marine/tugs", "marine", "-reason", "x")
	for _, rule := range []string{"tug-crews.example", "estuary-dredging.example"} {
		x.says(0, "may sign up any more", "sign-up-rules", "end", rule, "-reason", "Over")
	}
	x.says(0, "Nobody can sign up by themselves", "sign-up-rules", "list")
	problem(t, stranger.AskToSignUp(ctx, "una.berg@tug-crews.example"), 404, "not-found")
}
