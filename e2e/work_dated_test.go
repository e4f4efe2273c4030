package e2e

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// dated prepares operations for a time soon to come.
func dated(c *client.Client, in time.Duration, ops ...string) (wire.PendingChange, error) {
	at := time.Now().Add(in)
	return c.AddPendingChange(ctx, wire.PendingChangeRequest{At: &at, Reason: "Planned", Reference: "TCK-77", Lines: []wire.PendingLine{{Operations: changeOf("", ops...).Operations}}})
}

// stateOf is what became of a pending change of one's own.
func stateOf(t *testing.T, c *client.Client, id string) wire.PendingChange {
	t.Helper()
	l, err := c.PendingChanges(ctx)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(l.Mine, func(p wire.PendingChange) bool { return p.ID == id })
	if i < 0 {
		t.Fatalf("%s is not among %+v", id, l.Mine)
	}
	return l.Mine[i]
}

// A change is made at its date, once whatever runs beside it; where it would do something
// else by then, or may not be made, it lies before its author with why.
func TestAChangeIsMadeAtItsDate(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	testkit.Serve(t, database) // which makes some of them
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	_, err := dated(marta, -time.Hour, grantTo("ines.halloran", "auditor"))
	if p := problem(t, err, 422, "invalid"); p.Faults[0].Place != "/at" {
		t.Errorf("in the past: %+v", p)
	}
	_, err = dated(tomas, time.Hour, `{"op":"update_user","user":"ines.halloran","unit":"office"}`)
	problem(t, err, 403, "refused")
	_, err = dated(marta, time.Hour, `{"op":"update_user","user":"ines.halloran","unit":"/"}`)
	if p := problem(t, err, 422, "invalid"); p.Faults[0].Place != "/lines/0/operations/0/unit" {
		t.Errorf("a fault: %+v", p.Faults)
	}

	made, err := dated(marta, 2*time.Second, grantTo("ines.halloran", "auditor"))
	if err != nil || made.State != "dated" || made.Due == nil || len(made.Sentences) != 1 {
		t.Fatalf("%+v %v", made, err)
	}
	moved, err := dated(marta, 2*time.Second, `{"op":"update_user","user":"tomas.brandt","title":"Harbour master"}`)
	if err != nil {
		t.Fatal(err)
	}
	effect, err := dated(marta, 2*time.Second, grantTo("merete.inglewood", "berth-planning/planner"))
	if err != nil {
		t.Fatal(err)
	}
	late, err := dated(marta, time.Hour, grantTo("merete.inglewood", "auditor"))
	if err != nil {
		t.Fatal(err)
	}
	mayNot, err := dated(tomas, 2*time.Second, `{"op":"update_user","user":"ines.halloran","title":"Master of ropes"}`)
	if err != nil {
		t.Fatal(err)
	}
	// Meanwhile others change what they build on.
	for _, op := range []string{
		`{"op":"update_user","user":"tomas.brandt","display_name":"Tomas Brandt-Vale"}`,
		`{"op":"add_permission","role":"berth-planning/reader","actions":["update"],"pattern":"voyages"}`,
		revokeOf("tomas.brandt", "marine-manager"),
	} {
		x := changeOf("Meanwhile", op)
		x.Acknowledge = []string{"wide_gain"}
		if _, err := marta.Change(ctx, x, false); err != nil {
			t.Fatal(op, err)
		}
	}
	for id, want := range map[string]string{made.ID: "made", moved.ID: "returned", mayNot.ID: "returned", effect.ID: "returned"} {
		who := marta
		if id == mayNot.ID {
			who = tomas
		}
		testkit.Until(t, id+" to come to an end", func() bool { return stateOf(t, who, id).State != "dated" })
		if p := stateOf(t, who, id); p.State != want || want == "returned" && (p.Answer == "" || len(p.Lines) == 0) {
			t.Errorf("%s is %s: %s", id, p.State, p.Answer)
		} else {
			t.Logf("%s: %s", p.State, p.Answer)
		}
	}
	for id, says := range map[string]string{moved.ID: "changed what it builds on, in revision", effect.ID: "Its effect is another than you saw"} {
		if p := stateOf(t, marta, id); !strings.Contains(p.Answer, says) {
			t.Errorf("%s says %q", id, p.Answer)
		}
	}
	done := stateOf(t, marta, made.ID)
	revs, err := marta.Revisions(ctx, client.Query{"reference": "TCK-77"})
	if err != nil || !slices.ContainsFunc(revs.Revisions, func(r wire.Revision) bool {
		return r.Revision == done.Revision && r.Via == "dated" && r.By.Key == demo.Administrator && r.Reason == "Planned"
	}) {
		t.Errorf("%+v %v", revs.Revisions, err)
	}
	// What came back is opened, altered and made, or withdrawn; what is not due yet too.
	if _, err := marta.Change(ctx, wire.ChangeRequest{Reason: "Now", Operations: moved.Lines[0].Operations, PendingChanges: []string{moved.ID}}, false); err != nil {
		t.Error(err)
	}
	if p := stateOf(t, marta, moved.ID); p.State != "made" {
		t.Errorf("%+v", p)
	}
	if err := marta.WithdrawPendingChange(ctx, late.ID); err != nil {
		t.Error(err)
	}
}

// Services that make what is due, and are killed at it, make each once.
func TestWhatIsDueIsMadeOnce(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	const n = 30
	var ids []string
	for i := range n {
		p, err := dated(marta, 3*time.Second, fmt.Sprintf(`{"op":"add_group","key":"due-%d"}`, i))
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, p.ID)
	}
	var wait sync.WaitGroup
	stop := make(chan struct{})
	for range 2 {
		wait.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
					other := testkit.Serve(t, database)
					select {
					case <-stop:
					case <-time.After(700 * time.Millisecond):
					}
					other.Kill()
				}
			}
		})
	}
	testkit.Until(t, "all to be made", func() bool {
		l, err := marta.PendingChanges(ctx)
		if err != nil {
			return false
		}
		left := 0
		for _, p := range l.Mine {
			if p.State == "dated" {
				left++
			} else if p.State != "made" {
				t.Fatalf("%+v", p)
			}
		}
		return left == 0
	})
	close(stop)
	wait.Wait()
	revs, err := marta.Revisions(ctx, client.Query{"via": "dated", "limit": "200"})
	if err != nil || len(revs.Revisions) != n {
		t.Errorf("%d revisions of %d: %v", len(revs.Revisions), n, err)
	}
	groups := map[string]int{}
	for _, r := range revs.Revisions {
		groups[r.Sentences[0]]++
	}
	if len(groups) != n || len(ids) != n {
		t.Errorf("%v", groups)
	}
}

// A sheet is kept under a name, for its author alone, faults and all.
func TestASheetIsKeptUnderAName(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	keep := func(name string, ops ...string) (wire.PendingChange, error) {
		return marta.AddPendingChange(ctx, wire.PendingChangeRequest{Name: name, Lines: []wire.PendingLine{{Operations: changeOf("", ops...).Operations}}})
	}
	first, err := keep("Reorganisation", grantTo("nobody.yet", "auditor"))
	if err != nil || first.State != "saved" {
		t.Fatalf("%+v %v", first, err)
	}
	second, err := keep("Reorganisation", grantTo("ines.halloran", "auditor"))
	if err != nil {
		t.Fatal(err)
	}
	l, err := marta.PendingChanges(ctx)
	if err != nil || len(l.Mine) != 1 || l.Mine[0].ID != second.ID || l.Mine[0].Name != "Reorganisation" || len(l.Mine[0].Lines) != 1 {
		t.Errorf("%+v %v", l.Mine, err)
	}
	if l, err := tomas.PendingChanges(ctx); err != nil || len(l.Mine) > 0 || slices.ContainsFunc(l.ToMake, func(p wire.PendingChange) bool { return p.ID == second.ID }) {
		t.Errorf("somebody else sees %+v %v", l, err)
	}
	problem(t, tomas.WithdrawPendingChange(ctx, second.ID), 404, "not-found")
	at := time.Now().Add(time.Hour)
	_, err = marta.AddPendingChange(ctx, wire.PendingChangeRequest{Name: "x", At: &at, Reason: "x", Lines: second.Lines})
	problem(t, err, 422, "invalid")
	// What is made of it may be more or less by then.
	done, err := marta.Change(ctx, wire.ChangeRequest{Reason: "Made", Operations: changeOf("", grantTo("merete.inglewood", "auditor")).Operations, PendingChanges: []string{second.ID}}, false)
	if err != nil || stateOf(t, marta, second.ID).Revision != done.Revision {
		t.Errorf("%+v %v", done, err)
	}
}

// References are held to their pattern, wherever a change comes from, and found by it.
func TestReferencesAreHeldToTheirPattern(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	for _, bad := range []string{`{"op":"set_references","pattern":"(","address":""}`, `{"op":"set_references","pattern":"","address":"http://tickets.larkhaven.example/{reference}"}`, `{"op":"set_references","pattern":"","address":"https://{reference}.larkhaven.example/"}`} {
		_, err := marta.Change(ctx, changeOf("x", bad), false)
		problem(t, err, 422, "invalid")
	}
	if _, err := marta.Change(ctx, changeOf("Tickets", `{"op":"set_references","pattern":"TCK-[0-9]{1,6}","address":"https://tickets.larkhaven.example/browse/{reference}"}`), false); err != nil {
		t.Fatal(err)
	}
	if me, err := marta.Me(ctx); err != nil || me.References.Pattern != "TCK-[0-9]{1,6}" {
		t.Errorf("%+v %v", me.References, err)
	}
	change := func(reference string) error {
		x := changeOf("x", grantTo("ines.halloran", "auditor"))
		x.Reference = reference
		_, err := marta.Change(ctx, x, false)
		return err
	}
	for _, bad := range []string{"TCK-", "see TCK-12", "TCK-12\nTCK-13", " TCK-12"} {
		if p := problem(t, change(bad), 422, "invalid"); p.Faults[0].Place != "/reference" {
			t.Errorf("%q: %+v", bad, p.Faults)
		}
		_, err := marta.ImportUsers(ctx, []byte("user_name\nnew.body\n"), client.Query{"reason": "x", "reference": bad})
		problem(t, err, 422, "invalid")
	}
	if err := change("TCK-12"); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.ImportUsers(ctx, []byte("user_name\nnew.body\n"), client.Query{"reason": "x", "reference": "TCK-13"}); err != nil {
		t.Fatal(err)
	}
	for reference, says := range map[string]string{"TCK-12": "auditor", "TCK-13": "new.body", "TCK-14": ""} {
		l, err := marta.Revisions(ctx, client.Query{"reference": reference})
		if n := len(l.Revisions); err != nil || n != 1 && says != "" || n != 0 && says == "" || n == 1 && l.Revisions[0].Reference != reference {
			t.Errorf("%s: %+v %v", reference, l.Revisions, err)
		}
	}
	// A request carries it, and so does the decision on it.
	ines, tomas := at(t, s, demo.Pilot), s.SignIn(t, demo.Manager)
	ines.says(0, "Requested", "request", "incident-log/reader", "-reason", "The near miss", "-reference", "TCK-44")
	all, err := tomas.Requests(ctx, client.Query{"decide": "true"})
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(all.Requests, func(r wire.Request) bool { return r.Reference == "TCK-44" })
	if i < 0 {
		t.Fatalf("%+v", all.Requests)
	}
	if _, err := tomas.Change(ctx, changeOf("Yes", fmt.Sprintf(`{"op":"decide_request","request":%q,"decision":"approve"}`, all.Requests[i].ID)), false); err != nil {
		t.Fatal(err)
	}
	if l, err := marta.Revisions(ctx, client.Query{"reference": "TCK-44"}); err != nil || len(l.Revisions) != 2 {
		t.Errorf("%+v %v", l.Revisions, err)
	}
	// What access is opened for is what the change refers to.
	if _, err := marta.Change(ctx, changeOf("The pump again", fmt.Sprintf(`{"op":"open_access","user":%q,"from":"2099-01-01T00:00:00Z","until":"2099-01-01T01:00:00Z","reference":"TCK-45"}`, demo.Vendor)), false); err != nil {
		t.Fatal(err)
	}
	if l, err := marta.Revisions(ctx, client.Query{"reference": "TCK-45"}); err != nil || len(l.Revisions) != 1 {
		t.Errorf("%+v %v", l.Revisions, err)
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "TCK-13", "history", "-reference", "TCK-13")
	x.says(0, "Done, as revision", "grant", demo.Pilot, "berth-planning/planner", "-reference", "TCK-15", "-reason", "x")
	x.says(0, "TCK-15", "history", "-limit", "1", "-kind", "grant")
	if v, err := marta.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}

// The ledger is found by who made it, by what kind, by which way and by when; who sees a part
// learns nothing by it of what they do not see.
func TestTheLedgerIsFiltered(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	all := func(q client.Query) []wire.Revision {
		t.Helper()
		q["limit"] = "500"
		l, err := marta.Revisions(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		return l.Revisions
	}
	every := all(client.Query{})
	from, until := every[300].At, every[100].At
	for name, x := range map[string]struct {
		q    client.Query
		fits func(wire.Revision) bool
	}{
		"by":    {client.Query{"by": demo.Administrator}, func(r wire.Revision) bool { return r.By != nil && r.By.Key == demo.Administrator }},
		"via":   {client.Query{"via": "console"}, func(r wire.Revision) bool { return r.Via == "console" }},
		"kind":  {client.Query{"kind": "revoke,decide_request"}, func(r wire.Revision) bool { return has(r, "revoke") || has(r, "decide_request") }},
		"when":  {client.Query{"from": from.Format(time.RFC3339Nano), "until": until.Format(time.RFC3339Nano)}, func(r wire.Revision) bool { return !r.At.Before(from) && r.At.Before(until) }},
		"both":  {client.Query{"via": "console", "kind": "grant"}, func(r wire.Revision) bool { return r.Via == "console" && has(r, "grant") }},
		"whose": {client.Query{"user": demo.Pilot, "kind": "grant"}, nil},
	} {
		got := all(x.q)
		if x.fits == nil {
			if len(got) > len(every) {
				t.Errorf("%s: %d", name, len(got))
			}
			continue
		}
		last := every[len(every)-1].Revision
		var want, have []int64
		for _, r := range every {
			if x.fits(r) && !r.More {
				want = append(want, r.Revision)
			}
		}
		for _, r := range got {
			if r.Revision >= last && !r.More {
				have = append(have, r.Revision)
			}
		}
		if !slices.Equal(want, have) || len(want) == 0 {
			t.Errorf("%s: %d of %d", name, len(have), len(want))
		}
	}
	_, err := marta.Revisions(ctx, client.Query{"kind": "sail"})
	problem(t, err, 422, "invalid")
	_, err = tomas.Revisions(ctx, client.Query{"user": demo.Pilot, "kind": "grant"})
	problem(t, err, 403, "refused")
	_, err = tomas.Revisions(ctx, client.Query{"user": demo.Pilot, "by": demo.Administrator})
	_, err2 := tomas.Revisions(ctx, client.Query{"user": demo.Pilot, "by": "nobody.here"})
	if a, b := problem(t, err, 404, "not-found"), problem(t, err2, 404, "not-found"); strings.ReplaceAll(a.Detail, demo.Administrator, "X") != strings.ReplaceAll(b.Detail, "nobody.here", "X") {
		t.Errorf("%q, %q", a.Detail, b.Detail)
	}
}

func has(r wire.Revision, verb string) bool {
	return slices.ContainsFunc(r.Operations, func(raw json.RawMessage) bool {
		var op struct{ Op string }
		return json.Unmarshal(raw, &op) == nil && op.Op == verb
	})
}

// A freeze stops those it does not let through, over every way in; it is told to whom it
// concerns, and no more of it than they may know.
func TestAFreezeStands(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	x := at(t, s, demo.Administrator)
	x.says(0, "Set the freeze", "freezes", "set", "year-end", "-label", "Year-end close", "-why", "The books are being closed.", "-until", time.Now().AddDate(0, 1, 0).Format(time.DateOnly),
		"-unit", "marine", "-let-through", "hedvika.venables", "-reason", "Year end")
	x.says(0, "year-end", "freezes", "list")
	grant := grantTo("ines.halloran", "berth-planning/planner")
	_, err := marta.Change(ctx, changeOf("x", grant), false)
	p := problem(t, err, 409, "guard-rail")
	if len(p.Rails) != 1 || p.Rails[0].Code != "freeze" || p.Rails[0].Passable || !strings.Contains(p.Rails[0].Message, "The books are being closed") || !strings.Contains(p.Rails[0].Message, "Year-end close") {
		t.Errorf("%+v", p.Rails)
	}
	_, err = marta.ImportUsers(ctx, []byte("user_name,unit\nnew.pilot,marine/pilotage\n"), client.Query{"reason": "x", "acknowledge": "freeze"})
	problem(t, err, 409, "guard-rail")
	if _, err := marta.Change(ctx, changeOf("x", grantTo("merete.inglewood", "auditor")), false); err != nil {
		t.Errorf("elsewhere: %v", err)
	}
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","status":"suspended"}`), false); err != nil {
		t.Errorf("a suspension: %v", err)
	}
	_, err = marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","status":"active"}`), false)
	problem(t, err, 409, "guard-rail")
	// Who may change something there is told; the freezes themselves are the settings'.
	if me, err := tomas.Me(ctx); err != nil || len(me.Freezes) != 1 || me.Freezes[0].Units[0] != "marine" || len(me.Freezes[0].LetThrough) != 0 {
		t.Errorf("%+v %v", me.Freezes, err)
	}
	_, err = tomas.Freezes(ctx, nil)
	problem(t, err, 403, "refused")
	// Passed on, it waits for whoever is let through.
	if p, err := marta.AddPendingChange(ctx, wire.PendingChangeRequest{Reason: "In the freeze", Lines: []wire.PendingLine{{Operations: changeOf("", grant).Operations}}}); err != nil || p.State != "waiting" {
		t.Errorf("%+v %v", p, err)
	}
	// Dated after its end it is not stopped.
	after := time.Now().AddDate(0, 2, 0)
	if p, err := marta.AddPendingChange(ctx, wire.PendingChangeRequest{At: &after, Reason: "After", Lines: []wire.PendingLine{{Operations: changeOf("", grant).Operations}}}); err != nil || p.State != "dated" {
		t.Errorf("%+v %v", p, err)
	}
	x.says(0, "Ended the freeze Year-end close", "freezes", "end", "year-end", "-reason", "Closed early")
	if _, err := marta.Change(ctx, changeOf("x", grant), false); err != nil {
		t.Errorf("after its end: %v", err)
	}
}
