package e2e

import (
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// A round from its opening to its sign-off: who may decide on what, what goes,
// what is proposed, and the file of it.
func TestReviewsByCommandLine(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	tomas, marta, ines := at(t, s, demo.Manager), at(t, s, demo.Administrator), at(t, s, demo.Pilot)
	marta.says(0, "12 of 275", "review", "list")
	tomas.says(0, "244", "review", "list")
	ines.says(0, "There is no review", "review", "list")
	ines.says(3, "there is no review “marine-winter”", "review", "show", "marine-winter")
	tomas.says(0, "group Pilots", "review", "items", "marine-winter", "-mine")
	tomas.says(3, "you may not open reviews", "review", "open", "mine", "-where", `within eq "marine"`, "-reviewers", "manager", "-reason", "x")
	marta.says(3, "name one of application, group, filter and people", "review", "open", "none", "-reviewers", "manager", "-reason", "x")
	marta.says(3, "which is personal", "review", "open", "odd", "-where", `user_name sw "a"`, "-reviewers", "manager", "-reason", "x")

	tomas.says(0, "marked for revocation", "review", "revoke", "marine-winter", demo.Pilot, "tariff-ledger/reader", "-reason", "Invoices are checked elsewhere")
	tomas.says(0, "marked for revocation", "review", "revoke", "marine-winter", demo.Pilot, "pilot-roster/night-pilot", "-reason", "No more nights")
	tomas.says(3, "there is no item of marta.quill", "review", "keep", "marine-winter", demo.Administrator, "access-administrator", "-reason", "x")
	marta.says(3, "undecided yet", "review", "sign-off", "marine-winter", "-reason", "Too soon")
	tomas.says(0, "items kept", "review", "keep", "marine-winter", "-all-mine", "-reason", "As it should be")
	marta.says(0, "items kept", "review", "keep", "marine-winter", "-all-mine", "-reason", "As it should be")
	tomas.says(3, "you may not sign reviews off", "review", "sign-off", "marine-winter", "-reason", "x")
	marta.says(0, "1 item revoked, 1 removal pending for the owner of the group or rule Inês Halloran would lose", "review", "sign-off", "marine-winter", "-dry-run")
	marta.says(0, "Done, as revision", "review", "sign-off", "marine-winter", "-reason", "Done for the winter")
	marta.says(3, "is signed off", "review", "sign-off", "marine-winter", "-reason", "Again")
	tomas.says(3, "there is no item of ines.halloran", "review", "revoke", "marine-winter", demo.Pilot, "berth-planning/scheduler", "-reason", "late")
	marta.says(1, "no role held gives it", "check", demo.Pilot, "tariff-ledger", "read", "tariffs")
	marta.says(0, "by the role Night pilot through the group Night pilots", "check", demo.Pilot, "pilot-roster", "update", "shifts/night")

	// What is held through the group is a pending change of whoever sees to it.
	marta.says(0, "Remove Inês Halloran from the group Night pilots, through which they hold Night pilot", "pending", "list")
	marta.says(0, "pending-removal-", "today")
	ines.says(0, "No pending change waits for you", "pending", "list")
	ines.says(3, "waits for you", "pending", "refuse", "pending-removal-2", "-why", "x")
	list, err := s.SignIn(t, demo.Administrator).PendingChanges(ctx)
	if err != nil || len(list.ToMake) == 0 {
		t.Fatal(list, err)
	}
	removal := list.ToMake[slices.IndexFunc(list.ToMake, func(p wire.PendingChange) bool { return p.Round != nil && p.Round.Key == "marine-winter" })]
	// Whoever owns the group is told what waits, and nobody's name whom they may not see.
	if _, err := s.SignIn(t, demo.Administrator).Change(ctx, changeOf("Hers", fmt.Sprintf(`{"op":"update_group","group":"night-pilots","owner":%q}`, demo.Pilot)), false); err != nil {
		t.Fatal(err)
	}
	own, err := s.SignIn(t, demo.Pilot).PendingChanges(ctx)
	if err != nil || len(own.ToMake) != 1 || own.ToMake[0].ID != removal.ID || !own.ToMake[0].Author.Outside || strings.Contains(fmt.Sprintf("%+v", own), "Marta") {
		t.Errorf("the owner of the group sees %+v %v", own, err)
	}
	ines.says(0, removal.ID, "pending", "list")
	marta.says(0, "would lose", "pending", "make", removal.ID, "-dry-run")
	marta.says(0, "Done, as revision", "pending", "make", removal.ID)
	marta.says(1, "", "check", demo.Pilot, "pilot-roster", "update", "shifts/night")
	marta.says(3, "no pending change", "pending", "make", removal.ID)
	marta.says(0, "The ledger verifies", "ledger", "verify")
}

// What has ended since a round was opened is left to nobody: it is not counted as waiting, and the
// round is signed off, by command line or console, once all else is decided.
func TestWhatHasEndedIsNotLeftToDecide(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := at(t, s, demo.Administrator)
	marta.says(0, "Done, as revision", "review", "open", "one-person", "-person", demo.Pilot, "-reviewers", "user:"+demo.Administrator, "-reason", "A look")
	api := s.SignIn(t, demo.Administrator)
	round := func() wire.Round {
		t.Helper()
		r, err := api.Review(ctx, "one-person", nil)
		if err != nil {
			t.Fatal(err)
		}
		return r.Round
	}
	all := round().Items
	page, err := api.ReviewItems(ctx, "one-person", client.Query{"mine": "true", "limit": "100"})
	if err != nil || all < 3 || len(page.Items) != all {
		t.Fatalf("%d items, %v", len(page.Items), err)
	}
	ends := page.Items[slices.IndexFunc(page.Items, func(l wire.ReviewItem) bool { return l.Through == "direct" })]
	marta.says(0, "Done, as revision", "revoke", demo.Pilot, ends.Role.Key, "-reason", "Not needed any more")
	if r := round(); r.Mine != all-1 || r.Decided != 1 || r.Items != all {
		t.Errorf("%d of %d items wait, %d are decided or ended", r.Mine, r.Items, r.Decided)
	}
	marta.says(0, "marked for revocation", "review", "revoke", "one-person", demo.Pilot, "pilot-roster/night-pilot", "-reason", "No more nights")
	marta.says(0, fmt.Sprintf("%d items kept", all-2), "review", "keep", "one-person", "-all-mine", "-reason", "As it should be")
	marta.says(0, "0 items.", "review", "items", "one-person", "-undecided")
	if r := round(); r.Mine != 0 || r.Decided != all || !r.MaySign {
		t.Errorf("%d of %d items wait, %d are decided or ended, and may be signed off: %v", r.Mine, r.Items, r.Decided, r.MaySign)
	}
	b := signedIn(t, s, demo.Administrator)
	b.Go("/reviews/one-person")
	b.Sees("ended since")
	b.Type("Reason", "Looked through")
	b.Press("Sign off")
	b.Sees("Signed off. Scope")
	marta.says(0, "signed", "review", "list")

	// Nor is what waits for the owner of a group to be removed, once it has ended.
	left := func() (id, words string) {
		t.Helper()
		list, err := api.PendingChanges(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range list.ToMake {
			if p.Round != nil && p.Round.Key == "one-person" {
				return p.ID, p.Sentences[0]
			}
		}
		return "", ""
	}
	id, words := left()
	if words != "Remove Inês Halloran from the group Night pilots, through which they hold Night pilot" {
		t.Error(words)
	}
	if _, err := api.Change(ctx, changeOf("Back on days", fmt.Sprintf(`{"op":"remove_member","group":"night-pilots","user":%q}`, demo.Pilot)), false); err != nil {
		t.Fatal(err)
	}
	if _, words := left(); words != "Inês Halloran no longer holds Night pilot that way: nothing is left to remove" {
		t.Error(words)
	}
	marta.says(0, "Settled the pending removal of Night pilot of Inês Halloran", "pending", "make", id)
	marta.says(0, "The ledger verifies", "ledger", "verify")
}

// Every line of a round is what the ledger says of that instant, looked up user
// by user through the ways to each role; and its file says on what it stands.
func TestTheLinesOfARoundAreWhatWasHeldThen(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	r, err := marta.Review(ctx, "marine-winter", nil)
	if err != nil {
		t.Fatal(err)
	}
	then := client.Query{}.AsOf(r.FixedAt)
	then["filter"], then["limit"] = `within eq "marine" and status eq "active"`, "500"
	users, err := marta.Users(ctx, then)
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]bool{}
	for _, u := range users.Users {
		d, err := marta.User(ctx, u.ID, client.Query{}.AsOf(r.FixedAt))
		if err != nil {
			t.Fatal(err)
		}
		holds := func(all []wire.Assignment) {
			for _, a := range all {
				if (a.From == nil || !a.From.After(r.FixedAt)) && (a.Until == nil || a.Until.After(r.FixedAt)) {
					want[u.ID+" "+a.ID] = true
				}
			}
		}
		holds(d.Assignments)
		for _, g := range d.Groups {
			if g.From != nil && g.From.After(r.FixedAt) || g.Until != nil && !g.Until.After(r.FixedAt) {
				continue
			}
			one, err := marta.Group(ctx, g.Group.Key, client.Query{}.AsOf(r.FixedAt))
			if err != nil {
				t.Fatal(err)
			}
			holds(one.Assignments)
		}
	}
	got := map[string]bool{}
	q := client.Query{"limit": "100"}
	for {
		page, err := marta.ReviewItems(ctx, "marine-winter", q)
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range page.Items {
			got[l.User.ID+" "+l.Assignment] = true
			if len(l.Path.Steps) < 2 || l.Since == nil || l.Since.Reason == "" || l.Peers < 0 || l.Peers > l.Unitmates {
				t.Errorf("%+v", l)
			}
		}
		if q["cursor"] = page.Next; page.Next == "" {
			break
		}
	}
	for k := range want {
		if !got[k] {
			t.Errorf("the round lacks %s", k)
		}
	}
	for k := range got {
		if !want[k] {
			t.Errorf("the round has %s besides", k)
		}
	}
	if len(got) != r.Items || r.Items < 200 {
		t.Errorf("%d lines listed, %d counted", len(got), r.Items)
	}
	status, file := raw(t, marta, "/reviews/marine-winter/items.csv")
	rows, err := csv.NewReader(strings.NewReader(file)).ReadAll()
	if err != nil || status != 200 || len(rows) != r.Items+1 {
		t.Fatalf("%d, %d rows (%v)", status, len(rows), err)
	}
	rev, err := marta.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil || rows[1][len(rows[1])-2] != fmt.Sprint(r.Fixed) || len(rows[1][len(rows[1])-1]) != 64 || rev.Revisions[0].Revision < r.Fixed {
		t.Errorf("it stands on %v", rows[1][len(rows[1])-2:])
	}
	// Somebody cannot slip a line in that is not one of the round's.
	tomas := s.SignIn(t, demo.Manager)
	d, err := marta.User(ctx, "b.osei", nil)
	if err != nil {
		t.Fatal(err)
	}
	_, err = tomas.Change(ctx, changeOf("x", fmt.Sprintf(`{"op":"decide_items","round":"marine-winter","keep":false,"items":[{"user":"b.osei","assignment":%q}]}`, d.Assignments[0].ID)), false)
	p := problem(t, err, 422, "invalid")
	if !slices.ContainsFunc(p.Faults, func(f wire.Fault) bool { return strings.Contains(f.Message, "no such item") }) {
		t.Errorf("%v", p.Faults)
	}
}

// A round is decided by keyboard, saved with its reason, and seen on Today.
func TestReviewsByConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Manager, demo.Password)
	b.Sees("244 items for you")
	b.Press("Marine unit, winter")
	b.Sees("Keep the 100 undecided items shown")
	b.Accessible()
	b.Eval(`document.querySelector("[data-line]").focus()`, nil)
	b.Hotkey("k")
	b.Hotkey("r")
	b.Sees("Save 2 decisions")
	b.Type("Reason", "Looked at one by one")
	b.Press("Save 2 decisions")
	b.Sees("242 items.")
	b.Press("Keep the 100 undecided items shown")
	b.Sees("Save 100 decisions")
	b.Type("Reason", "As it should be")
	b.Press("Save 100 decisions")
	b.Sees("142 items.")
	b.Go("/reviews")
	b.Sees("114 of 256 items decided")
	b.Accessible()
}

// A sign-off that is killed half-way has revoked all or nothing; asked again under
// its key it is done once.
func TestASignOffKilledHalfWayIsDoneOnce(t *testing.T) {
	const people, rounds = 150, 6
	database := testkit.DemoDatabase(t)
	rng := rand.New(rand.NewPCG(3, 14))
	s := testkit.Serve(t, database)
	token := s.SignIn(t, demo.Administrator).Token
	halfway := 0
	for round := range rounds {
		c := &client.Client{Base: s.Base, Token: token}
		var ops []string
		for i := range people {
			name := fmt.Sprintf("hand.%d.%d", round, i)
			ops = append(ops, fmt.Sprintf(`{"op":"add_user","user_name":%q,"title":"Hand %d"}`, name, round), grantTo(name, "crane-control/observer"))
		}
		if _, err := c.Change(ctx, changeOf("Season", ops...), false); err != nil {
			t.Fatal(err)
		}
		key := fmt.Sprintf("season-%d", round)
		if _, err := c.Change(ctx, changeOf("Over", fmt.Sprintf(`{"op":"open_round","key":%q,"filter":"title eq \"Hand %d\"","reviewers":"users","users":["marta.quill"]}`, key, round)), false); err != nil {
			t.Fatal(err)
		}
		lines, err := c.ReviewItems(ctx, key, client.Query{"limit": "500"})
		if err != nil || len(lines.Items) != people {
			t.Fatalf("%d lines (%v)", len(lines.Items), err)
		}
		var refs []string
		for _, l := range lines.Items {
			refs = append(refs, fmt.Sprintf(`{"user":%q,"assignment":%q}`, l.User.ID, l.Assignment))
		}
		if _, err := c.Change(ctx, changeOf("All go", fmt.Sprintf(`{"op":"decide_items","round":%q,"items":[%s]}`, key, strings.Join(refs, ","))), false); err != nil {
			t.Fatal(err)
		}
		sign := func(c *client.Client) (out wire.ChangeResult, err error) {
			return out, c.DoKeyed(ctx, key, "POST", "/changes", nil, acknowledged(changeOf("Season over", fmt.Sprintf(`{"op":"sign_off","round":%q}`, key)), "wide_loss"), &out)
		}
		begun := make(chan error, 1)
		go func() {
			_, err := sign(c)
			begun <- err
		}()
		for range round * rng.IntN(3) { // some calls long, not some time; at first at once
			_, _ = c.Me(ctx)
		}
		s.Kill()
		first := <-begun
		s = testkit.Serve(t, database)
		c = &client.Client{Base: s.Base, Token: token}
		held := func() int {
			n := 0
			all, err := c.Users(ctx, client.Query{"filter": fmt.Sprintf(`title eq "Hand %d"`, round), "limit": "500"})
			if err != nil {
				t.Fatal(err)
			}
			for _, u := range all.Users {
				if allowed(t, c, u.UserName, "crane-control", "read", "cranes") {
					n++
				}
			}
			return n
		}
		n := held()
		if n != 0 && n != people || first == nil && n != 0 {
			t.Fatalf("after the kill %d of %d hold it still; the answer was %v", n, people, first)
		}
		if n == people {
			halfway++
		}
		again, err := sign(c)
		if err != nil || held() != 0 {
			t.Fatalf("asked again: %+v %v, %d hold it still", again, err, held())
		}
		if again.Repeated != (n == 0) {
			t.Errorf("nobody held it: %v, and it says done before: %v", n == 0, again.Repeated)
		}
	}
	c := &client.Client{Base: s.Base, Token: token}
	if v, err := c.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
	t.Logf("%d of %d sign-offs were killed before they were in the ledger", halfway, rounds)
}
