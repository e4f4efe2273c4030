package e2e

import (
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// awhile makes all sessions and tokens of a service as if their people had signed in before the
// time in which nobody is asked again.
func awhile(t *testing.T, database string) {
	t.Helper()
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	for _, table := range []string{"session", "token"} {
		if _, err := conn.Exec(ctx, "update "+table+" set confirmed_at = clock_timestamp() - interval '16 minutes' where confirmed_at is not null"); err != nil {
			t.Fatal(err)
		}
	}
}

// What is dangerous in other hands is done for whoever proved a short while ago who they are, and
// for nobody who has only found their session or token.
func TestWhatIsDangerousAsksAgain(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
	if _, err := marta.MakeSignInLink(ctx, demo.Pilot); err != nil {
		t.Fatalf("just signed in: %v", err)
	}
	awhile(t, database)
	_, err := marta.MakeSignInLink(ctx, demo.Pilot)
	problem(t, err, 403, "confirmation-needed")
	_, err = marta.HelpSecondFactor(ctx, demo.Pilot)
	problem(t, err, 403, "confirmation-needed")
	_, err = marta.RotateTokens(ctx, "berth-board", wire.RotationRequest{})
	problem(t, err, 403, "confirmation-needed")
	_, err = ines.BeginSecondFactor(ctx)
	problem(t, err, 403, "confirmation-needed")
	if _, err := ines.Change(ctx, changeOf("The regatta", `{"op":"request_role","role":"gate-passes/issuer","until":"`+soon+`"}`), false); err != nil {
		t.Errorf("what is not dangerous: %v", err)
	}
	// A wrong password confirms nothing, and is counted as when one signs in.
	problem(t, ines.ConfirmIdentity(ctx, wire.Confirmation{Password: "not it"}), 422, "invalid")
	problem(t, ines.ConfirmIdentity(ctx, wire.Confirmation{}), 422, "invalid")
	_, err = ines.BeginSecondFactor(ctx)
	problem(t, err, 403, "confirmation-needed")
	if err := ines.ConfirmIdentity(ctx, wire.Confirmation{Password: demo.Password}); err != nil {
		t.Fatal(err)
	}
	f, err := ines.BeginSecondFactor(ctx)
	if err != nil {
		t.Fatalf("confirmed: %v", err)
	}
	kept, err := ines.ConfirmSecondFactor(ctx, codeOf(t, f.Secret, 0))
	if err != nil {
		t.Fatal(err)
	}
	// Whoever has an authenticator app confirms by it: the password alone is not enough.
	awhile(t, database)
	problem(t, ines.ConfirmIdentity(ctx, wire.Confirmation{Password: demo.Password}), 422, "invalid")
	if err := ines.ConfirmIdentity(ctx, wire.Confirmation{Code: kept.Codes[0]}); err != nil {
		t.Error(err)
	}
	log, err := s.SignIn(t, demo.Auditor).SecurityLog(ctx, client.Query{"user": demo.Pilot})
	if err != nil {
		t.Fatal(err)
	}
	events := map[string]int{}
	for _, e := range log.Events {
		events[e.Event]++
	}
	if events["identity confirmed"] != 2 || events["identity not confirmed"] != 2 || events["signed in"] != 1 {
		t.Errorf("the security log has %v", events)
	}
	// One's confirmation is of one session: another one's stays as old as it was.
	_, err = marta.MakeSignInLink(ctx, demo.Manager)
	problem(t, err, 403, "confirmation-needed")
}

// At a terminal one is asked, and the command goes on; without one it is refused, with the way out.
func TestTheTerminalAsksToConfirm(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	x := at(t, s, demo.Administrator)
	awhile(t, database)
	x.says(3, "roster sign-in signs you in again", "users", "sign-in-link", demo.Pilot)
	w := open(t, x.r, 100, "users", "sign-in-link", demo.Pilot)
	w.waits(t, "Confirm that it is you. Password: ")
	_, _ = w.at.WriteString(demo.Password + "\n")
	if code := w.ends(t); code != 0 || !strings.Contains(w.shows(), "/sign-in-link#") || strings.Contains(w.shows(), demo.Password) {
		t.Errorf("exit %d, and it shows %q", code, w.shows())
	}
}

// The console asks whoever signed in a while ago, and does what was asked then; a guard rail is
// passed by nobody who cannot confirm.
func TestTheConsoleAsksToConfirm(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Pilot, demo.Password)
	b.Sees("waiting for your decision")
	awhile(t, database)
	b.Go("/my-access")
	b.Press("Add an authenticator app")
	b.Sees("Confirm that it is you")
	b.Accessible()
	b.Type("Password", "not it")
	b.Press("Confirm")
	b.Sees("The password is not right")
	b.Press("Cancel")
	b.Sees("You signed in a while ago")
	b.Press("Add an authenticator app")
	b.Type("Password", demo.Password)
	b.Press("Confirm")
	b.Sees("The code that the app shows")

	// What passes a guard rail, or erases, is asked for too; what does not is not, nor is a dry run.
	m := testkit.NewTab(t, s.Base)
	m.SignIn(demo.Administrator, demo.Password)
	m.Sees("to decide")
	awhile(t, database)
	for path, wants := range map[string]string{
		`/changes", {operations: [{op: "erase_user", user: "amatus.bjorklund"}], reason: "x"}`:                                                                                  "confirmation-needed",
		`/changes", {operations: [{op: "grant", user: "ines.halloran", role: "staff"}], reason: "x", acknowledge: ["many"]}`:                                                    "confirmation-needed",
		`/changes?dry_run=true", {operations: [{op: "erase_user", user: "amatus.bjorklund"}], reason: "x"}`:                                                                     "",
		`/changes", {operations: [{op: "grant", user: "ines.halloran", role: "tide-board/editor"}], reason: "The regatta"}`:                                                     "",
		`/changes", {operations: [{op: "update_user", user: "ines.halloran", email: "x@elsewhere.example"}], reason: "x"}`:                                                      "confirmation-needed",
		`/pending-changes", {lines: [{words: "x", operations: [{op: "erase_user", user: "amatus.bjorklund"}]}], reason: "x", at: new Date(Date.now() + 3600000).toISOString()}`: "confirmation-needed",
		`/imports/users?reason=x&acknowledge=many", "user_name,display_name\r\n"`:                                                                                               "confirmation-needed",
		`/users/ines.halloran/sign-in-link", undefined`:                                                                                                                         "confirmation-needed",
	} {
		var is string
		m.Eval(`((path, body) => { const r = new XMLHttpRequest(); r.open("POST", "/api/v1" + path, false); r.setRequestHeader("Content-Type", typeof body === "string" ? "text/csv" : "application/json"); r.send(typeof body === "string" ? body : body && JSON.stringify(body)); return JSON.parse(r.responseText).type ?? "" })("`+path+`)`, &is)
		if is != wants {
			t.Errorf("%s: %q, want %q", path, is, wants)
		}
	}
}
