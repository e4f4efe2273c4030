package e2e

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// What the demo's revisions of access did is taken back one after the other, each on the head
// as it is by then: every operation fits, and what a departed user or a request leaves says
// why it stays. Undone once more, things are as they were.
func TestRevisionsAreUndone(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	entitlements := func(user string) int {
		t.Helper()
		a, err := marta.Access(ctx, user, nil)
		if err != nil {
			t.Fatal(err)
		}
		return a.Things
	}
	before := entitlements(demo.Pilot)
	if _, err := marta.Change(ctx, acknowledged(changeOf("A mistake", `{"op":"update_user","user":"ines.halloran","unit":"office","title":"Clerk"}`,
		`{"op":"grant","user":"ines.halloran","role":"tide-board/editor","until":"2031-01-01T00:00:00Z"}`, `{"op":"remove_member","group":"pilots","member_group":"night-pilots"}`), "wide_loss", "expectation_warned"), false); err != nil {
		t.Fatal(err)
	}
	made := revisionOf(t, marta)
	if now := entitlements(demo.Pilot); now == before {
		t.Fatal("it changed nothing")
	}
	r := at(t, s, demo.Administrator)
	r.says(0, "Revoked Tide editor of Inês Halloran", "ledger", "undo", fmt.Sprint(made), "-dry-run", "-acknowledge", "expectation_warned")
	r.says(0, "Done, as revision", "ledger", "undo", fmt.Sprint(made), "-reason", "It was a mistake", "-acknowledge", "expectation_warned")
	u, err := marta.User(ctx, demo.Pilot, nil)
	if err != nil || u.Unit != "marine/pilotage" || u.Title != "Harbour pilot" || entitlements(demo.Pilot) != before {
		t.Errorf("%+v %v: %d entitlements, were %d", u.User, err, entitlements(demo.Pilot), before)
	}
	if text := r.says(3, "nothing of revision", "ledger", "undo", fmt.Sprint(made), "-reason", "Again"); !strings.Contains(text, "since") {
		t.Errorf("what stays is not said:\n%s", text)
	}
	// All of the demo's: whatever it is, there is an answer, and what it offers fits.
	offered := 0
	for n := int64(2); n <= made; n += 9 {
		x, err := marta.Undo(ctx, n)
		if err != nil {
			t.Fatalf("revision %d: %v", n, err)
		}
		if len(x.Lines) == 0 {
			if len(x.Stays) == 0 && n != 1 {
				t.Logf("revision %d has nothing to take back", n)
			}
			continue
		}
		offered++
		req := wire.ChangeRequest{}
		for _, l := range x.Lines {
			req.Operations = append(req.Operations, l.Operations...)
		}
		if _, err := marta.Change(ctx, req, true); err != nil {
			var p *wire.Problem
			errors.As(err, &p)
			t.Errorf("undoing revision %d: %v %+v", n, err, p.Faults)
		}
	}
	if offered < 20 {
		t.Errorf("only %d revisions could be taken back", offered)
	}
}

// One press on the panel after a commit, and a reason that is there, take it back.
func TestUndoIsOnePressInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := byKeys(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Suspend")
	b.Type("Reason", "By mistake")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	b.Press("Undo")
	b.Sees("Undo revision")
	b.Sees("signs in anew")
	b.Accessible()
	b.Press("Commit 1 change")
	testkit.Until(t, "it to be taken back", func() bool {
		u, err := marta.User(ctx, demo.Pilot, nil)
		return err == nil && u.Status == "active"
	})
	n := revisionOf(t, marta)
	b.Go("/ledger")
	b.Press(fmt.Sprintf("Revision %d, its operations", n))
	b.Press(fmt.Sprintf("Undo revision %d", n))
	b.Sees("Commit 1 change")
	b.Accessible()
}
