package e2e

import (
	"strings"
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

// Who has no password here confirms by signing in again: for a passkey, and for what is dangerous
// a while later. Nothing asks for a password that there is not.
func TestWhoHasNoPasswordConfirmsBySigningIn(t *testing.T) {
	database := testkit.DemoDatabase(t)
	h := newHarbour(t, database, nil)
	if _, err := testkit.Pool(t, database).Exec(ctx, "delete from credential"); err != nil {
		t.Fatal(err)
	}
	b := testkit.NewTab(t, h.service.Base)
	b.Go("/my-access")
	b.Press("Sign in with Harbour ID")
	b.Press("Continue as Inês Halloran")
	b.Sees("Passkeys are for a page that is opened by a name")
	b.SeesNot("to change passkeys")
	awhile(t, database)
	b.Press("Add an authenticator app")
	b.Sees("You have no password here: sign in again")
	b.Accessible()
	begin := `(() => { const r = new XMLHttpRequest(); r.open("POST", "/api/v1/me/providers", false); r.setRequestHeader("Content-Type", "application/json"); r.send('{"provider":"harbour-id","current_password":""}'); const p = JSON.parse(r.responseText); return r.status + " " + (p.detail ?? "") })()`
	var said string
	if b.Eval(begin, &said); !strings.Contains(said, "403") || !strings.Contains(said, "since you have no password here") {
		t.Errorf("a link in other hands: %s", said)
	}
	b.Press("Sign in again")
	b.Press("Sign in with Harbour ID")
	b.Press("Continue as Inês Halloran")
	b.Until("one is where one was", `location.pathname === "/my-access"`)
	b.Press("Add an authenticator app")
	b.Sees("The code that the app shows")
	if b.Eval(begin, &said); !strings.Contains(said, "201") {
		t.Errorf("a link of who has just signed in: %s", said)
	}
}
