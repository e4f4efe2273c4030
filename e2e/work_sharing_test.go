package e2e

import (
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

const sharedRole = "berth-planning/north-scheduler"

// boardOf is a client of the berth board's account, which acts for nobody yet.
func boardOf(t *testing.T, s *testkit.Service, marta *client.Client) *client.Client {
	t.Helper()
	var token wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "berth board", User: demo.BerthBoard}, &token); err != nil {
		t.Fatal(err)
	}
	return &client.Client{Base: s.Base, Token: token.Secret}
}

func actingFor(c *client.Client, user string) *client.Client {
	x := *c
	x.ActingFor = user
	return &x
}

func shareOf(path, user string) string {
	return `{"op":"share_role","role":"` + sharedRole + `","user":"` + user + `","path":"` + path + `"}`
}

// An application lets who holds a berth share it: within what both may, as many as may be, by
// both in the ledger, and found, taken back and ended with the berth.
func TestAnApplicationSharesForWhoHoldsIt(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	board := boardOf(t, s, marta)
	ines, osei := actingFor(board, demo.Pilot), actingFor(board, "b.osei")
	may := func(user, path string) bool {
		t.Helper()
		a, err := marta.Check(ctx, wire.CheckRequest{User: user, Application: "berth-planning", Action: "update", Path: path})
		if err != nil {
			t.Fatal(err)
		}
		return a.Allowed
	}
	refused := func(c *client.Client, op, says string, status int) {
		t.Helper()
		_, err := c.Change(ctx, changeOf("x", op), false)
		p, ok := err.(*wire.Problem)
		if !ok || p.Status != status || !strings.Contains(p.Detail+" "+faultsText(p), says) {
			t.Errorf("%s: %v, want %d %q", op, err, status, says)
		}
	}
	refused(osei, shareOf("berths/north-1", demo.Manager), "Bettina Osei may not share", 403)
	refused(board, shareOf("berths/north-1", "b.osei"), "for whoever is signed in there", 403)
	refused(marta, shareOf("berths/north-1", "b.osei"), "for whoever is signed in there", 403)
	refused(ines, shareOf("berths/south-1", "b.osei"), "gives nothing within", 422)
	// What the account may not do itself, it does not do for who may, nor the other way round.
	refused(actingFor(board, demo.Administrator), `{"op":"grant","role":"tariff-ledger/reader","user":"b.osei"}`, "there is no role", 422)
	refused(ines, `{"op":"grant","role":"`+sharedRole+`","user":"b.osei"}`, "may not assign the role", 403)

	dry, err := ines.Change(ctx, changeOf("Shared on the berth board", shareOf("berths/north-1", "b.osei")), true)
	if err != nil || dry.Preview == nil || len(dry.Preview.Effects) != 1 {
		t.Fatalf("%+v %v", dry, err)
	}
	if may("b.osei", "berths/north-1") {
		t.Fatal("may already")
	}
	done, err := ines.Change(ctx, changeOf("Shared on the berth board", shareOf("berths/north-1", "b.osei")), false)
	if err != nil || !strings.Contains(done.Sentences[0], "within berths/north-1 of Berth planning") {
		t.Fatalf("%+v %v", done, err)
	}
	for path, want := range map[string]bool{"berths/north-1": true, "berths/north-2": false, "berths": false} {
		if got := may("b.osei", path); got != want {
			t.Errorf("%s: %v", path, got)
		}
	}
	list, err := marta.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil || list.Revisions[0].By.Key != demo.Pilot || list.Revisions[0].Account == nil || list.Revisions[0].Account.Key != demo.BerthBoard || list.Revisions[0].Via != "account" {
		t.Errorf("%+v %v", list.Revisions, err)
	}

	// Who has to do with it sees it, and nobody else.
	for who, want := range map[string]int{demo.Pilot: 1, "b.osei": 1, demo.Manager: 1, demo.Administrator: 1} {
		all, err := s.SignIn(t, who).Shares(ctx, client.Query{"path": "berths/north-1"})
		if err != nil || len(all.Shares) != want {
			t.Errorf("%s sees %+v %v", who, all.Shares, err)
			continue
		}
		if want > 0 && (all.Shares[0].User.Key != "b.osei" || all.Shares[0].SharedBy.Key != demo.Pilot || all.Shares[0].Resource != "North 1") {
			t.Errorf("%s: %+v", who, all.Shares[0])
		}
	}
	var feed wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "test", User: "manifest-feed"}, &feed); err != nil {
		t.Fatal(err)
	}
	if all, err := (&client.Client{Base: s.Base, Token: feed.Secret}).Shares(ctx, client.Query{"path": "berths/north-1"}); err != nil || len(all.Shares)+all.Total != 0 {
		t.Errorf("an account of another application sees %+v %v", all, err)
	}
	if all, err := ines.Shares(ctx, client.Query{"application": "berth-planning", "path": "berths/north-1"}); err != nil || len(all.Shares) != 1 || !all.Shares[0].MayEnd {
		t.Errorf("%+v %v", all, err)
	}
	// What was shared with somebody they do not share on. They end it for themselves.
	refused(osei, shareOf("berths/north-1", "ambroz.whitlock"), "not by a share", 403)
	if _, err := ines.Change(ctx, changeOf("Shared on the berth board", shareOf("berths/north-1", "ambroz.whitlock")), false); err != nil {
		t.Fatal(err)
	}
	end := `{"op":"end_shares","application":"berth-planning","path":"berths/north-1","user":"b.osei"}`
	if _, err := s.SignIn(t, "b.osei").Change(ctx, changeOf("Not mine", end), false); err != nil {
		t.Fatal(err)
	}
	if may("b.osei", "berths/north-1") {
		t.Error("may still")
	}
	finance, err := marta.Users(ctx, client.Query{"unit": "finance", "status": "active", "limit": "1"})
	if err != nil || len(finance.Users) == 0 {
		t.Fatal(err)
	}
	refused(actingFor(board, finance.Users[0].UserName), `{"op":"end_shares","application":"berth-planning","path":"berths/north-1"}`, "may not assign", 403)
	// The berth goes, and with it what is shared of it.
	gone, err := marta.Change(ctx, changeOf("The berth is filled in", `{"op":"update_resource","application":"berth-planning","path":"berths/north-1","retired":true}`), false)
	if err != nil {
		t.Fatal(err)
	}
	if all, err := marta.Shares(ctx, client.Query{"path": "berths/north-1"}); err != nil || len(all.Shares) != 0 {
		t.Errorf("%+v %v after revision %d", all, err, gone.Revision)
	}
	if all, err := marta.Shares(ctx, client.Query{"path": "berths/north-1", "as_of": done.At.Format("2006-01-02T15:04:05.999999999Z07:00")}); err != nil || len(all.Shares) != 1 {
		t.Errorf("of the day it was shared: %+v %v", all, err)
	}
	if v, err := marta.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}

func faultsText(p *wire.Problem) string {
	var out []string
	for _, f := range p.Faults {
		out = append(out, f.Message)
	}
	return strings.Join(out, "; ")
}

// Who gets a share, and the owner of the role, are told a line a resource, once.
func TestWhatIsSharedIsMailed(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), append(box.with, "-mail-digest-after", "1s")...)
	marta := s.SignIn(t, demo.Administrator)
	ines := actingFor(boardOf(t, s, marta), demo.Pilot)
	const boss, auditor = "tomas.brandt@larkhaven.example", "bettina@larkhaven.example"
	for user, email := range map[string]string{demo.Manager: boss, "b.osei": auditor} {
		if _, err := marta.Change(ctx, changeOf("Their address", `{"op":"update_user","user":"`+user+`","email":"`+email+`"}`), false); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := ines.Change(ctx, changeOf("Shared on the berth board", shareOf("berths/north-1", "b.osei"), shareOf("berths/north-1", sharedWith), shareOf("berths/north-3", sharedWith)), false); err != nil {
		t.Fatal(err)
	}
	if l := box.waitsFor(t, auditor, 1); !strings.Contains(l.Subject, "shared with you") || !strings.Contains(l.Text, "- North 1 of Berth planning: North quay scheduler, by Inês Halloran") || strings.Contains(l.Text, "North 3") {
		t.Errorf("%s\n%s", l.Subject, l.Text)
	}
	if l := box.waitsFor(t, boss, 1); !strings.Contains(l.Text, "- North 1 of Berth planning: North quay scheduler, with 2 users, by Inês Halloran") || !strings.Contains(l.Text, "- North 3 of Berth planning: North quay scheduler, with 1 user, by") ||
		strings.Contains(l.Text, "Bettina") {
		t.Errorf("%s\n%s", l.Subject, l.Text)
	}
}

// What is shared within a resource is one item of a review, for the owner of the role; what is
// revoked on it is revoked of all who are on it.
func TestSharesAreReviewedAsOneItem(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	ines := actingFor(boardOf(t, s, marta), demo.Pilot)
	if _, err := ines.Change(ctx, changeOf("Shared on the berth board", shareOf("berths/north-1", "b.osei"), shareOf("berths/north-1", sharedWith), shareOf("berths/north-3", sharedWith)), false); err != nil {
		t.Fatal(err)
	}
	for _, reviewers := range []string{"owner", "manager"} {
		key := "berths-by-" + reviewers
		if _, err := marta.Change(ctx, changeOf("The quarter", `{"op":"open_round","key":"`+key+`","label":"Berths","application":"berth-planning","reviewers":"`+reviewers+`"}`), false); err != nil {
			t.Fatal(err)
		}
		items, err := tomas.ReviewItems(ctx, key, client.Query{"mine": "true", "limit": "500"})
		if err != nil {
			t.Fatal(err)
		}
		shared := map[string][]string{}
		for _, x := range items.Items {
			if x.Shared != nil {
				for _, w := range x.Shared.With {
					shared[x.Shared.Resource] = append(shared[x.Shared.Resource], w.User.Key+w.User.Label)
				}
			}
		}
		if len(shared["North 1"]) != 2 || len(shared["North 2"]) != 1 || len(shared["North 3"]) != 1 || len(shared) != 3 {
			t.Errorf("%s: %v", reviewers, shared)
		}
	}
	x := at(t, s, demo.Manager)
	x.says(0, "shared within berths/north-1", "review", "items", "berths-by-owner", "-mine")
	x.says(0, "4 items marked for revocation", "review", "revoke", "berths-by-owner", sharedWith, sharedRole, "-reason", "Not any more", "-dry-run")
	// All that is decided: each line of a share counts once, whoever is on it.
	before, err := marta.Review(ctx, "berths-by-owner", nil)
	if err != nil {
		t.Fatal(err)
	}
	x.says(0, "", "review", "revoke", "berths-by-owner", "b.osei", sharedRole, "-reason", "North 1 is not shared any more")
	after, err := marta.Review(ctx, "berths-by-owner", nil)
	if err != nil || after.Items != before.Items || after.Decided != 1 || after.ToRevoke != 1 {
		t.Errorf("%+v, was %+v %v", after, before, err)
	}
	x.says(0, "", "review", "keep", "berths-by-owner", "-all-mine", "-reason", "All else stays")
	rest, err := marta.ReviewItems(ctx, "berths-by-owner", client.Query{"mine": "true", "undecided": "true", "limit": "500"})
	if err != nil {
		t.Fatal(err)
	}
	if len(rest.Items) > 0 { // what the owner holds himself
		at(t, s, demo.Administrator).says(0, "", "review", "keep", "berths-by-owner", "-all-mine", "-reason", "His own")
	}
	if _, err := marta.Change(ctx, changeOf("Done", `{"op":"sign_off","round":"berths-by-owner"}`), false); err != nil {
		t.Fatal(err)
	}
	all, err := marta.Shares(ctx, nil)
	if err != nil || len(all.Shares) != 2 {
		t.Errorf("%+v %v", all, err)
	}
	for _, f := range all.Shares {
		if f.Path == "berths/north-1" {
			t.Errorf("%+v is there still", f)
		}
	}
}
