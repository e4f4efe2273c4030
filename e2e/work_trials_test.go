package e2e

import (
	"encoding/json"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// What a delegation would let its holder do is tried before it is given, and is what they may
// do once it is.
func TestADelegationIsTriedBeforeItIsGiven(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager), s.SignIn(t, demo.Pilot)
	give := `{"op":"grant","user":"ines.halloran","role":"marine-manager","scopes":[{"application":"able-roster","pattern":"users/marine/tugs"},{"application":"able-roster","pattern":"roles/berth-planning"}]}`
	tug, err := marta.Users(ctx, map[string]string{"unit": "marine/tugs", "status": "active", "limit": "1"})
	if err != nil {
		t.Fatal(err)
	}
	whom := tug.Users[0].UserName
	tries := []string{
		`{"op":"update_user","user":"` + whom + `","title":"Bosun"}`,
		`{"op":"update_user","user":"` + whom + `","unit":"finance"}`,
		grantTo(whom, "berth-planning/reader"),
		grantTo(whom, "tariff-ledger/reader"),
		grantTo("b.osei", "berth-planning/reader"),
		grantTo("ines.halloran", "access-administrator"),
	}
	ask := wire.WhatIfRequest{Operations: changeOf("", give).Operations, As: demo.Pilot}
	for _, op := range tries {
		ask.Tries = append(ask.Tries, wire.WhatIfTry{Operations: []json.RawMessage{json.RawMessage(op)}})
	}
	x, err := marta.WhatIf(ctx, ask)
	if err != nil || len(x.Tried) != len(tries) {
		t.Fatalf("%+v %v", x.Tried, err)
	}
	if _, err := marta.Change(ctx, wire.ChangeRequest{Reason: "x", Operations: ask.Operations, Acknowledge: []string{"administering_gain", "direct_assignment"}}, false); err != nil {
		t.Fatal(err)
	}
	could := 0
	for i, op := range tries {
		_, err := ines.Change(ctx, changeOf("x", op), true)
		if x.Tried[i].Could != (err == nil) {
			t.Errorf("%s: it was said that she could: %v (%s), and she is told %v", op, x.Tried[i].Could, x.Tried[i].Why, err)
		}
		if x.Tried[i].Could {
			could++
		} else if x.Tried[i].Why == "" {
			t.Errorf("%s: it is not said why", op)
		}
	}
	if could == 0 || could == len(tries) {
		t.Errorf("she could make %d of %d", could, len(tries))
	}
	// Of somebody one may not see there is nothing to try.
	_, err = tomas.WhatIf(ctx, wire.WhatIfRequest{Operations: changeOf("", `{"op":"update_user","user":"ines.halloran","title":"x"}`).Operations, As: demo.Auditor, Tries: ask.Tries[:1]})
	problem(t, err, 404, "not-found")

	b := signedIn(t, s, demo.Administrator)
	b.Go("/delegations")
	b.Press("Add the ready-made roles")
	b.Sees("The ready-made roles were added.")
	b.Press("Add a delegation")
	b.Pick("To a user", "osei", "Bettina Osei")
	b.Choose("As", "team-manager")
	b.Set("Users in these units", "terminal/cranes")
	b.Press("Try it out")
	b.Pick("To whom it is tried", "halloran", "Inês Halloran")
	b.Sees("could not")
	b.Accessible()
}
