package e2e

import (
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"

	"github.com/pquerna/otp/totp"
)

// codeOf is the code of a secret that an authenticator app shows so many steps from now.
func codeOf(t *testing.T, secret string, steps int) string {
	t.Helper()
	code, err := totp.GenerateCode(secret, time.Now().Add(time.Duration(steps)*30*time.Second))
	if err != nil {
		t.Fatal(err)
	}
	return code
}

// Whoever administers adds a second factor before anything else; from then on a code is asked
// for, each works once, and a recovery code stands for a lost phone. Where these are lost too,
// two administrators help.
func TestASecondFactor(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t), "-second-factor", "administrators")
	marta := s.SignIn(t, demo.Administrator)
	_, err := marta.Users(ctx, nil)
	problem(t, err, 403, "second-factor-missing")
	if _, err := s.SignIn(t, demo.Pilot).Requests(ctx, nil); err != nil {
		t.Errorf("who administers nothing: %v", err)
	}
	if f, err := marta.SecondFactor(ctx); err != nil || !f.Needed || f.Active {
		t.Errorf("%+v %v", f, err)
	}
	f, err := marta.BeginSecondFactor(ctx)
	if err != nil || !strings.HasPrefix(f.Address, "otpauth://totp/Larkhaven%20Port%20Authority:marta.quill?") {
		t.Fatalf("%+v %v", f, err)
	}
	_, err = marta.ConfirmSecondFactor(ctx, "000000")
	problem(t, err, 422, "invalid")
	first := codeOf(t, f.Secret, 0)
	kept, err := marta.ConfirmSecondFactor(ctx, first)
	if err != nil || len(kept.Codes) != 10 {
		t.Fatalf("%v %v", kept, err)
	}
	if _, err := marta.Users(ctx, nil); err != nil {
		t.Errorf("with the factor: %v", err)
	}
	_, err = marta.BeginSecondFactor(ctx)
	problem(t, err, 403, "refused")
	stranger := s.Client("")
	_, err = stranger.SignIn(ctx, demo.Administrator, demo.Password, "x")
	problem(t, err, 401, "second-factor")
	_, err = stranger.SignInByCode(ctx, demo.Administrator, demo.Password, first, "x") // used already
	problem(t, err, 401, "second-factor")
	next := codeOf(t, f.Secret, 1)
	if _, err := stranger.SignInByCode(ctx, demo.Administrator, demo.Password, next, "x"); err != nil {
		t.Errorf("by the next code: %v", err)
	}
	_, err = stranger.SignInByCode(ctx, demo.Administrator, "wrong", next, "x")
	problem(t, err, 401, "not-signed-in")
	if _, err := stranger.SignInByCode(ctx, demo.Administrator, demo.Password, strings.ToUpper(kept.Codes[3]), "x"); err != nil {
		t.Errorf("by a recovery code: %v", err)
	}
	_, err = stranger.SignInByCode(ctx, demo.Administrator, demo.Password, kept.Codes[3], "x")
	problem(t, err, 401, "second-factor")
	if f, err := marta.SecondFactor(ctx); err != nil || !f.Active || f.RecoveryCodes != 9 {
		t.Errorf("%+v %v", f, err)
	}
	// Another administrator loses theirs.
	x := at2(t, s, kept.Codes[4])
	x.says(0, "Granted", "grant", demo.Auditor, "access-administrator", "-acknowledge", "administering_gain", "-acknowledge", "wide_gain", "-reason", "A second administrator")
	osei := s.SignIn(t, demo.Auditor)
	g, err := osei.BeginSecondFactor(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := osei.ConfirmSecondFactor(ctx, codeOf(t, g.Secret, 0)); err != nil {
		t.Fatal(err)
	}
	for range 2 { // one alone is not enough, however often
		if out, err := osei.HelpSecondFactor(ctx, demo.Administrator); err != nil || out.Removed || !strings.Contains(out.Next, "Another administrator") {
			t.Errorf("%+v %v", out, err)
		}
	}
	tomas := s.SignIn(t, demo.Manager)
	h, err := tomas.BeginSecondFactor(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tomas.ConfirmSecondFactor(ctx, codeOf(t, h.Secret, 0)); err != nil {
		t.Fatal(err)
	}
	_, err = tomas.HelpSecondFactor(ctx, demo.Administrator) // who has rights that Tomas has not
	problem(t, err, 404, "not-found")
	x.says(0, "Granted", "grant", demo.Manager, "access-administrator", "-acknowledge", "administering_gain", "-acknowledge", "wide_gain", "-reason", "A third one")
	if out, err := tomas.HelpSecondFactor(ctx, demo.Administrator); err != nil || !out.Removed {
		t.Errorf("%+v %v", out, err)
	}
	if _, err := stranger.SignIn(ctx, demo.Administrator, demo.Password, "x"); err != nil {
		t.Errorf("after the removal: %v", err)
	}
	_, err = marta.Users(ctx, nil)
	problem(t, err, 403, "second-factor-missing")
	// Guessing is slowed.
	for range 12 {
		_, err = stranger.SignInByCode(ctx, demo.Auditor, demo.Password, "123456", "x")
	}
	problem(t, err, 429, "too-many-attempts")
}

// at2 is the administrator's command line, signed in by a code.
func at2(t *testing.T, s *testkit.Service, code string) *terminal {
	t.Helper()
	x := &terminal{t, s.CommandLine(t)}
	x.says(0, "Signed in at", "sign-in", "-user", demo.Administrator, "-code", code)
	return x
}

// A reset link does not stand for the second factor.
func TestAResetAsksForTheSecondFactor(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines := s.SignIn(t, demo.Pilot)
	f, err := ines.BeginSecondFactor(ctx)
	if err != nil {
		t.Fatal(err)
	}
	kept, err := ines.ConfirmSecondFactor(ctx, codeOf(t, f.Secret, 0))
	if err != nil {
		t.Fatal(err)
	}
	l, err := s.SignIn(t, demo.Administrator).MakeSignInLink(ctx, demo.Pilot)
	if err != nil {
		t.Fatal(err)
	}
	code := strings.TrimPrefix(l.Path, "/sign-in-link#")
	problem(t, s.Client("").UseSignInLink(ctx, code, newPassword), 401, "second-factor")
	if err := s.Client("").Do(ctx, "POST", "/sign-in-link", nil, map[string]string{"link": code, "password": newPassword, "code": kept.Codes[0]}, nil); err != nil {
		t.Error(err)
	}
}

// Whoever has a second factor makes new recovery codes by a code, which end the old ones, and
// removes it by one.
func TestASecondFactorIsRemoved(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines := s.SignIn(t, demo.Pilot)
	_, err := ines.NewRecoveryCodes(ctx, "123456")
	problem(t, err, 403, "refused")
	problem(t, ines.RemoveSecondFactor(ctx, "123456"), 403, "refused")
	f, err := ines.BeginSecondFactor(ctx)
	if err != nil {
		t.Fatal(err)
	}
	old, err := ines.ConfirmSecondFactor(ctx, codeOf(t, f.Secret, 0))
	if err != nil {
		t.Fatal(err)
	}
	anew, err := ines.NewRecoveryCodes(ctx, old.Codes[0])
	if err != nil || len(anew.Codes) != 10 {
		t.Fatalf("%v %v", anew, err)
	}
	problem(t, ines.RemoveSecondFactor(ctx, old.Codes[1]), 422, "invalid")
	problem(t, ines.RemoveSecondFactor(ctx, ""), 422, "invalid")
	if err := ines.RemoveSecondFactor(ctx, anew.Codes[1]); err != nil {
		t.Error(err)
	}
	if _, err := s.Client("").SignIn(ctx, demo.Pilot, demo.Password, "x"); err != nil {
		t.Errorf("without it: %v", err)
	}
}

// Sessions are listed by device, and ended one by one.
func TestSessionsAreListedAndEnded(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.Go("/")
	b.SignIn(demo.Pilot, demo.Password)
	ines := s.SignIn(t, demo.Pilot)
	list, err := ines.Sessions(ctx)
	if err != nil || len(list.Sessions) != 1 || !strings.Contains(list.Sessions[0].Device, "Chrome") || list.Sessions[0].Here {
		t.Fatalf("%+v %v", list, err)
	}
	problem(t, s.SignIn(t, demo.Manager).EndSession(ctx, list.Sessions[0].ID), 404, "not-found")
	if err := ines.EndSession(ctx, list.Sessions[0].ID); err != nil {
		t.Fatal(err)
	}
	b.Go("/my-access")
	b.Sees("Sign in")
}
