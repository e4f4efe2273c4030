package e2e

import (
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// A legal hold is set with a day, is seen by whoever may read settings and by nobody else, and keeps
// somebody who has departed from being erased.
func TestALegalHold(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	until := time.Now().AddDate(2, 0, 0).Format(time.DateOnly)
	_, err := tomas.Change(ctx, changeOf("An inquiry", `{"op":"set_legal_hold","user":"`+demo.Pilot+`","last_day":"`+until+`"}`), false)
	problem(t, err, 403, "refused")
	set, err := marta.Change(ctx, changeOf("The inquiry at the fuel jetty", `{"op":"set_legal_hold","user":"`+demo.Pilot+`","last_day":"`+until+`"}`,
		`{"op":"update_user","user":"`+demo.Pilot+`","status":"departed"}`), false)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("Asked for by the harbour police", `{"op":"set_legal_hold","user":"`+demo.Manager+`","last_day":"`+until+`"}`), false); err != nil {
		t.Fatal(err)
	}
	u, err := marta.User(ctx, demo.Pilot, nil)
	if err != nil || u.LegalHold == nil || u.LegalHold.LastDay != until || u.LegalHold.Given == nil || u.LegalHold.Given.Reason != "The inquiry at the fuel jetty" {
		t.Fatalf("%+v %v", u.LegalHold, err)
	}
	if u, err = tomas.User(ctx, demo.Pilot, nil); err != nil || u.LegalHold != nil {
		t.Errorf("their manager is told of the hold: %+v %v", u.LegalHold, err)
	}
	// The history of a person, which they read too, does not tell of it; the ledger does.
	for whose, by := range map[string]*client.Client{demo.Pilot: tomas, demo.Manager: tomas} {
		all, err := by.Revisions(ctx, client.Query{"user": whose, "limit": "500"})
		if err != nil || len(all.Revisions) == 0 {
			t.Fatal(err)
		}
		for _, r := range all.Revisions {
			if text := strings.Join(r.Sentences, " "); strings.Contains(text, "legal hold") || strings.Contains(r.Reason, "police") || strings.Contains(text, "outside what you may see") {
				t.Errorf("of %s: revision %d, %s, %s", whose, r.Revision, text, r.Reason)
			}
		}
	}
	if all, err := marta.Revisions(ctx, client.Query{"kind": "set_legal_hold"}); err != nil || len(all.Revisions) != 3 {
		t.Errorf("%d revisions of holds, %v", len(all.Revisions), err)
	}
	_, err = marta.Change(ctx, changeOf("As the law has it", `{"op":"erase_user","user":"`+demo.Pilot+`"}`), false)
	problem(t, err, 422, "invalid")
	undo, err := marta.Undo(ctx, set.Revision)
	if err != nil || len(undo.Lines) == 0 {
		t.Errorf("%+v %v", undo, err)
	}

	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Sees("Under legal hold")
	b.Sees("The inquiry at the fuel jetty")
	b.Press("End the legal hold")
	b.Press("Erase them")
	commits(b, "The inquiry is closed")
	if u, err = marta.User(ctx, "user-"+strings.TrimPrefix(u.ID, "user-"), nil); err != nil || !strings.HasPrefix(u.UserName, "erased-") {
		t.Errorf("%s %v", u.UserName, err)
	}
}
