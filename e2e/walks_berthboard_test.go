package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// The example application asks each time: a role is revoked, and the next click
// there is denied.
func TestTheBerthBoardAsksEachTime(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var token wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "berth board", User: demo.BerthBoard}, &token); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "token")
	if err := os.WriteFile(file, []byte(token.Secret+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	board := testkit.Serving(t, exec.Command(testkit.Program(t, "berthboard"), "-listen", "127.0.0.1:0", "-service", s.Base, "-token-file", file),
		regexp.MustCompile(`serves on (http://\S+)`))
	b := testkit.NewTab(t, board.Base)
	b.Go("/")
	b.Sees("Nobody is signed in")
	b.Sees("Moorings is not for you")
	b.Choose("Signed in as", "ines.halloran")
	b.Press("Change")
	b.Sees("Departures")
	b.Type("Vessel for South 2", "Grey Heron")
	b.PressNth("Assign", 5)
	b.Sees("Assigned Grey Heron to berths/south-2.")

	// Her own role goes; the groups still give the northern berths.
	if _, err := marta.Change(ctx, changeOf("The regatta is over", revokeOf(demo.Pilot, "berth-planning/scheduler")), false); err != nil {
		t.Fatal(err)
	}
	b.Type("Vessel for South 1", "Otter") // the button was drawn before
	b.PressNth("Assign", 4)
	b.Sees("You may not assign a vessel to berths/south-1: You may not do this. Ask for access, or ask whoever looks after the application. (no_grant)")
	b.SeesNot("Otter")
	b.Choose("Signed in as", "b.osei")
	b.Press("Change")
	b.Sees("Nothing here is for b.osei")
	b.Sees("(no_grant)")

	// Without Able Roster nothing is shown.
	s.Stop(t)
	b.Go("/moorings")
	b.Sees("Nothing can be shown, since nobody can say whether you may see it")
	b.SeesNot("Grey Petrel")
}

// By the token that the demo makes for it, the berth board shares a berth for who holds it, shows
// with whom, and ends that.
func TestTheBerthBoardSharesABerth(t *testing.T) {
	database, file := testkit.EmptyDatabase(t), filepath.Join(t.TempDir(), "token")
	testkit.Run(t, "", "rosterd", "load-demo", "-database-url", database, "-token-file", file)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	board := testkit.Serving(t, exec.Command(testkit.Program(t, "berthboard"), "-listen", "127.0.0.1:0", "-service", s.Base, "-token-file", file),
		regexp.MustCompile(`serves on (http://\S+)`))
	b := testkit.NewTab(t, board.Base)
	b.Go("/")
	b.Choose("Signed in as", "ines.halloran")
	b.Press("Change")
	b.Sees("Yseult Xifaras")
	b.Choose("Share North 1 with", "b.osei")
	b.Press("Share North 1")
	b.Sees("Shared berths/north-1 with b.osei.")
	b.Sees("Bettina Osei")
	if a, err := marta.Check(ctx, wire.CheckRequest{User: "b.osei", Application: "berth-planning", Action: "update", Path: "berths/north-1"}); err != nil || !a.Allowed {
		t.Errorf("%+v %v", a, err)
	}
	b.Press("End the share of North 1 with Bettina Osei")
	b.Sees("b.osei has berths/north-1 no longer.")
	b.SeesNot("Bettina Osei")
}
