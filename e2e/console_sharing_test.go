package e2e

import (
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Whoever shared something sees with whom, and ends it, in the console too.
func TestSharesInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Pilot)
	b.Go("/shares")
	b.Sees("North 2")
	b.Sees("Yseult Xifaras")
	b.Accessible()
	b.Shows(`input[aria-label="Pick North 2, Yseult Xifaras"]`)
	b.Eval(`document.querySelector('input[aria-label="Pick North 2, Yseult Xifaras"]').click()`, nil)
	b.Press("End")
	b.Sees("the share of North 2 with Yseult Xifaras")
	b.Type("Reason", "The regatta is over")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	b.Go("/shares")
	b.Sees("Nothing is shared by you")
	b.Accessible()
	all, err := s.SignIn(t, demo.Administrator).Shares(ctx, nil)
	if err != nil || len(all.Shares) != 0 {
		t.Errorf("%+v %v", all, err)
	}
}

// How many users a role may be shared with, and whether an account acts for users, are said in
// the console; what is shared is one line of a review there.
func TestWhatIsSaidOfSharingInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := signedIn(t, s, demo.Administrator)
	b.Go("/roles/berth-planning%2Ffuel-warden?tab=details")
	b.Type("Can be shared within one resource with so many users", "3")
	b.Press("Add to change sheet")
	b.Go("/machine-accounts")
	b.Sees("May act for whoever is signed in to its application.")
	b.Press("Describe Berth board")
	b.Press("May act for whoever is signed in to the application, within what both may")
	b.Press("Add to change sheet")
	b.Type("Reason", "The board shares nothing any more")
	b.Press("Commit 2 changes")
	b.Sees("Committed as revision")
	r, err := marta.Role(ctx, "berth-planning/fuel-warden", nil)
	if err != nil || r.MaxShares != 3 {
		t.Errorf("%+v %v", r, err)
	}
	accounts, err := marta.MachineAccounts(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range accounts.Accounts {
		if a.ActsForUsers || a.User.Key == demo.BerthBoard && (a.Application == nil || a.Application.Key != "berth-planning") {
			t.Errorf("%+v", a)
		}
	}
	if _, err := marta.Change(ctx, changeOf("The quarter", `{"op":"open_round","key":"berths-winter","label":"Berths, winter","application":"berth-planning","reviewers":"owner"}`), false); err != nil {
		t.Fatal(err)
	}
	m := signedIn(t, s, demo.Manager)
	m.Go("/reviews/berths-winter")
	m.Sees("North 2 is shared with this user")
	m.Accessible()
	m.Press("Revoke North quay scheduler of Yseult Xifaras")
	m.Sees("Save 1 decision")
	m.Type("Reason", "Nobody knows what for")
	m.Press("Save 1 decision")
	m.Sees("revoke")
	m.SeesNot("Save 1 decision")
}
