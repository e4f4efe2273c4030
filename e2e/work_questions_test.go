package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Each reason comes with a sentence that names what came near, and with what
// would cure it.
func TestDenialsNameTheNearMissAndTheCure(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	in := func(d time.Duration) string { return time.Now().Add(d).UTC().Format(time.RFC3339) }
	if _, err := marta.Change(ctx, changeOf("For the test",
		`{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick"}`,
		fmt.Sprintf(`{"op":"grant","user":"zoe.marrick","role":"crane-control/operator","from":%q}`, in(48*time.Hour)),
		fmt.Sprintf(`{"op":"grant","user":"zoe.marrick","role":"tariff-ledger/clerk","until":%q}`, in(3*time.Second)),
		`{"op":"grant","user":"zoe.marrick","role":"berth-planning/scheduler","scopes":[{"application":"berth-planning","pattern":"berths/north-*"},{"application":"berth-planning","pattern":"berths/fuel-jetty"}]}`,
		`{"op":"grant","user":"zoe.marrick","role":"pilot-roster/pilot"}`,
		`{"op":"grant","user":"zoe.marrick","role":"works-orders/storekeeper","schedule":{"days":["`+weekday(time.Now().AddDate(0, 0, 3))+`"],"from":"06:00","until":"14:00","time_zone":"Europe/Lisbon"}}`,
	), false); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the clerk's time is over", func() bool {
		a, err := marta.Check(ctx, wire.CheckRequest{User: "zoe.marrick", Application: "tariff-ledger", Action: "create", Path: "invoices"})
		return err == nil && !a.Allowed
	})
	for _, x := range []struct{ app, action, path, reason, says, cure string }{
		{"crane-control", "operate", "cranes/c-01", "not_yet", "held from", "crane-control/operator"},
		{"tariff-ledger", "create", "invoices", "ended", "held until", "tariff-ledger/clerk"},
		{"berth-planning", "update", "berths/south-1", "out_of_scope", "held only within berths/fuel-jetty of Berth planning or berths/north-* of Berth planning, by the role Berth scheduler", "berth-planning/scheduler"},
		{"berth-planning", "update", "berths/fuel-jetty", "fenced", "it is fenced by berths/fuel-jetty (only the jetty's wardens clear a vessel for it); the role Berth scheduler is written for something wider", "berth-planning/fuel-warden"},
		{"pilot-roster", "update", "shifts/day", "not_owner", "only where it is their own, by the role Pilot", "pilot-roster/planner"},
		{"works-orders", "update", "stores", "outside_schedule", "06:00 to 14:00, Europe/Lisbon, by the role Storekeeper", "works-orders/storekeeper"},
		{"gate-passes", "withdraw", "passes", "no_grant", "no role held gives it", "gate-passes/withdrawer"},
		{"gate-passes", "withdraw", "cellar", "resource_unknown", "the application has no such resource", ""},
		{"gate-passes", "borrow", "passes", "action_unknown", "the application has no such action", ""},
		{"gate-house", "read", "passes", "application_unknown", "there is no application", ""},
	} {
		a, err := marta.Check(ctx, wire.CheckRequest{User: "zoe.marrick", Application: x.app, Action: x.action, Path: x.path, Explain: true})
		if err != nil || a.Allowed || a.Reason != x.reason || !strings.Contains(a.Message, x.says) {
			t.Errorf("%s %s in %s: %+v %v", x.action, x.path, x.app, a, err)
			continue
		}
		cures := ""
		for _, r := range a.Cure {
			cures += r.Key + " "
		}
		if x.cure == "" && cures != "" || !strings.Contains(cures, x.cure) {
			t.Errorf("%s %s in %s: the cure is said to be %s", x.action, x.path, x.app, cures)
		}
	}
	// Her own shift she may change.
	a, err := marta.Check(ctx, wire.CheckRequest{User: "zoe.marrick", Application: "pilot-roster", Action: "update", Path: "shifts/day", Properties: wire.Properties{Owner: "zoe.marrick"}})
	if err != nil || !a.Allowed {
		t.Errorf("%+v %v", a, err)
	}
	// An application in rehearsal lets her in, and says that live would not.
	if _, err := marta.Change(ctx, acknowledged(changeOf("x", `{"op":"update_application","application":"gate-passes","state":"rehearsal"}`), "leaving_live"), false); err != nil {
		t.Fatal(err)
	}
	a, err = marta.Check(ctx, wire.CheckRequest{User: "zoe.marrick", Application: "gate-passes", Action: "withdraw", Path: "passes", Explain: true})
	if err != nil || !a.Allowed || a.Reason != "rehearsal" || !strings.Contains(a.Message, "once it is live, this is denied") {
		t.Errorf("%+v %v", a, err)
	}
}

func weekday(t time.Time) string { return strings.ToLower(t.Weekday().String()[:3]) }

func TestManyChecksAreAnsweredFromOneRevision(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var questions []wire.CheckRequest
	for i := range 1000 {
		questions = append(questions, wire.CheckRequest{User: demo.Pilot, Application: "berth-planning", Action: []string{"read", "update", "release"}[i%3], Path: []string{"berths", "board", "plans", "voyages/today"}[i%4]})
	}
	out, err := marta.Checks(ctx, questions)
	if err != nil || len(out.Answers) != 1000 {
		t.Fatalf("%d answers (%v)", len(out.Answers), err)
	}
	for i, a := range out.Answers {
		if i%83 == 0 && a.Allowed != allowed(t, marta, questions[i].User, questions[i].Application, questions[i].Action, questions[i].Path) || a.Revision != out.Revision {
			t.Errorf("question %d: %+v", i, a)
		}
	}
	questions[7].Path, questions[9].Path = "a//b", ".."
	_, err = marta.Checks(ctx, questions)
	if p := problem(t, err, 422, "invalid"); len(p.Faults) != 2 || p.Faults[0].Place != "/checks/7/path" || p.Faults[1].Place != "/checks/9/path" {
		t.Errorf("%+v", p.Faults)
	}
	_, err = marta.Checks(ctx, append(questions, questions[0]))
	problem(t, err, 422, "invalid")
}

func TestWhatIfAnswersUnderAChangeThatIsNotMade(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	before, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	ask := wire.CheckRequest{User: "zoe.marrick", Application: "crane-control", Action: "operate", Path: "cranes", Explain: true}
	in := wire.WhatIfRequest{Checks: []wire.CheckRequest{ask}, Access: "zoe.marrick"}
	in.Operations = changeOf("", `{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick"}`, grantTo("zoe.marrick", "crane-control/operator")).Operations
	out, err := marta.WhatIf(ctx, in)
	if err != nil || !out.Answers[0].Allowed || out.Answers[0].Paths[0].Steps[0].Label != "Zoë Marrick" || out.Access.Things != out.Change.Preview.Gained {
		raw, _ := json.Marshal(out)
		t.Fatalf("%s %v", raw, err)
	}
	if after, err := marta.Me(ctx); err != nil || after.Revision != before.Revision {
		t.Errorf("something was changed (%v)", err)
	}
	// Whoever may not make the change may not ask what it would do.
	_, err = s.SignIn(t, demo.Manager).WhatIf(ctx, in)
	if err == nil {
		t.Error("a delegate asked beyond their part")
	}
}

func TestBetweenAndTimelineByTheClockToo(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	me, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	// Nothing is committed from now until her cover ends by the clock.
	q := client.Query{"from": me.Now.Format(time.RFC3339Nano), "to": me.Now.AddDate(0, 0, 10).Format(time.RFC3339Nano), "user": demo.Pilot}
	b, err := marta.GainedAndLost(ctx, q)
	if err != nil || b.From.Revision != b.To.Revision || b.Total != 1 || b.Lost < 5 || b.Gained != 0 {
		t.Errorf("%+v %v", b, err)
	}
	q["to"] = me.Now.AddDate(0, 0, 25).Format(time.RFC3339Nano)
	if b, err = marta.GainedAndLost(ctx, q); err != nil || b.Gained != 3 {
		t.Errorf("%d gained by the time her survey work has begun (%v)", b.Gained, err)
	}
	// For the organisation, between any two days, and for one application.
	day := func(n int) string { return me.Now.AddDate(0, 0, n).Format(time.RFC3339Nano) }
	all, err := marta.GainedAndLost(ctx, client.Query{"from": day(-100), "to": day(-10), "limit": "500"})
	if err != nil || all.Total < 20 || len(all.Users) != all.Total {
		t.Errorf("%d users, %d listed (%v)", all.Total, len(all.Users), err)
	}
	one, err := marta.GainedAndLost(ctx, client.Query{"from": day(-100), "to": day(-10), "limit": "500", "application": "crane-control"})
	if err != nil || one.Total == 0 || one.Total >= all.Total {
		t.Errorf("%d of %d users in crane control (%v)", one.Total, all.Total, err)
	}
	for _, u := range one.Users {
		for _, e := range append(u.Gained, u.Lost...) {
			if e.Application.Key != "crane-control" {
				t.Errorf("%s: %+v", u.User.Key, e)
			}
		}
	}
	_, err = marta.GainedAndLost(ctx, client.Query{"from": day(0), "to": day(-1)})
	problem(t, err, 422, "invalid")

	x := at(t, s, demo.Administrator)
	x.says(0, "role Berth scheduler, direct", "timeline", demo.Pilot, "berth-planning", "update", "berths/south-1")
	x.says(0, "has never held unlock locks in Crane control", "timeline", demo.Pilot, "crane-control", "unlock", "locks")
	x.says(0, "gained or lost something", "gained-and-lost", me.Now.AddDate(0, 0, -30).Format(time.DateOnly), "-user", demo.Pilot)
	x.says(0, "group Credit desk", "holders", "tariff-ledger", "create", "credits")
	x.says(0, "Nobody signed in", "holders", "tide-board", "read", "/")
	x.says(0, "role Credit releaser, direct", "holders", "-role", "tariff-ledger/credit-releaser")
	x.says(2, "name application, action and path; or a role with -role", "holders", "tariff-ledger")
}

// Lists are filtered by the filter language; what the caller may not read
// cannot be asked about either.
func TestListsAreFiltered(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	users := func(c *client.Client, filter string) []wire.User {
		t.Helper()
		list, err := c.Users(ctx, client.Query{"filter": filter, "limit": "500"})
		if err != nil || list.Total != len(list.Users) {
			t.Fatalf("%s: %d of %d (%v)", filter, len(list.Users), list.Total, err)
		}
		return list.Users
	}
	all := users(marta, "")
	count := func(fits func(wire.User) bool) (n int) {
		for _, u := range all {
			if fits(u) {
				n++
			}
		}
		return n
	}
	for filter, fits := range map[string]func(wire.User) bool{
		`employment_type eq "Contractor" and end_date lt "2099-01-01"`: func(u wire.User) bool { return u.EmploymentType == "contractor" && u.EndDate != "" },
		`within eq "marine"`:                       func(u wire.User) bool { return u.Unit == "marine" || strings.HasPrefix(u.Unit, "marine/") },
		`unit eq "marine"`:                         func(u wire.User) bool { return u.Unit == "marine" },
		`kind eq "service"`:                        func(u wire.User) bool { return u.Kind == "service" },
		`not (title pr)`:                           func(u wire.User) bool { return u.Title == "" },
		`status ne "active" or effective eq false`: func(u wire.User) bool { return u.Status != "active" || !u.Effective },
		`manager eq "tomas.brandt" and title co "pilot"`: func(u wire.User) bool {
			return u.Manager != nil && u.Manager.Key == demo.Manager && strings.Contains(strings.ToLower(u.Title), "pilot")
		},
	} {
		if got, want := len(users(marta, filter)), count(fits); got != want || want == 0 {
			t.Errorf("%s: %d users, want %d", filter, got, want)
		}
	}
	for _, u := range users(marta, `groups.key eq "night-pilots"`) {
		if detail, err := marta.User(ctx, u.UserName, nil); err != nil || !strings.Contains(fmt.Sprint(detail.Groups), "night-pilots") {
			t.Errorf("%s: %v %v", u.UserName, detail.Groups, err)
		}
	}
	if found := users(marta, `roles[key eq "berth-planning/scheduler" and until pr]`); len(found) == 0 || found[0].UserName == "" {
		t.Errorf("%d hold it until a day", len(found))
	}
	// Tomas may not read the auditor's role: to him nobody has it.
	if _, err := marta.Change(ctx, wire.ChangeRequest{Reason: "x", Acknowledge: []string{"administering_gain"}, Operations: changeOf("", grantTo(demo.Pilot, "auditor")).Operations}, false); err != nil {
		t.Fatal(err)
	}
	if a, b := len(users(marta, `roles.key eq "auditor"`)), len(users(tomas, `roles.key eq "auditor"`)); a != 2 || b != 0 {
		t.Errorf("she finds %d auditors, he %d", a, b)
	}
	_, err := marta.Users(ctx, client.Query{"filter": `titel eq "x" and shoe_size gt 4`})
	if p := problem(t, err, 422, "invalid"); len(p.Faults) != 2 || !strings.HasPrefix(p.Faults[0].Message, "column 1: there is no attribute “titel”") || !strings.HasPrefix(p.Faults[1].Message, "column 18:") {
		t.Errorf("%+v", p.Faults)
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "ines.halloran", "users", "list", "-where", `within eq "marine/pilotage" and user_name sw "ines.h"`)
	x.says(3, "column 7: an operator (eq, ne, co, sw, ew, gt, ge, lt, le, pr) was expected", "users", "list", "-where", `title is "x"`)
}

// A group by rule takes in whoever has what it asks for, from the revision on
// that gives it to them, and lets them go with it; the path says so.
func TestAGroupByRuleFollowsTheAttributes(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	added, err := marta.Change(ctx, changeOf("Hired for the season",
		`{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick","unit":"engineering/dredging","employment_type":"contractor","company":"Silt & Sons","end_date":"`+time.Now().AddDate(0, 6, 0).Format(time.DateOnly)+`","manager":"tomas.brandt"}`), false)
	if err != nil || added.Preview.UsersGaining != 1 {
		t.Fatalf("%+v %v %s", added.Preview, err, asFaults(err))
	}
	a, err := marta.Check(ctx, wire.CheckRequest{User: "zoe.marrick", Application: "works-orders", Action: "update", Path: "contracts/dredging", Explain: true})
	if err != nil || !a.Allowed || a.Paths[0].Steps[1].Rule != `within eq "engineering/dredging" and employment_type eq "contractor"` {
		t.Errorf("%+v %v", a, err)
	}
	moved, err := marta.Change(ctx, changeOf("Moves to the office", `{"op":"update_user","user":"zoe.marrick","unit":"office"}`), false)
	if err != nil || moved.Preview.UsersLosing != 1 || allowed(t, marta, "zoe.marrick", "works-orders", "update", "contracts/dredging") {
		t.Errorf("%+v %v", moved.Preview, err)
	}
	// As of the day before she could; her timeline ends with the move.
	line, err := marta.PermissionTimeline(ctx, "zoe.marrick", client.Query{"application": "works-orders", "action": "update", "path": "contracts/dredging"})
	if err != nil || len(line.Spans) != 1 || line.Spans[0].Until == nil || !line.Spans[0].Until.Equal(*moved.At) {
		t.Errorf("%+v %v", line.Spans, err)
	}
	then, err := marta.Access(ctx, "zoe.marrick", client.Query{}.AsOf(*added.At))
	if err != nil || then.Things != added.Preview.Gained {
		t.Errorf("%d things then, %d gained (%v)", then.Things, added.Preview.Gained, err)
	}
	_, err = marta.Change(ctx, changeOf("x", `{"op":"add_group","key":"by-name","filter":"display_name co \"a\" or unit is"}`), true)
	if p := problem(t, err, 422, "invalid"); p.Faults[0].Place != "/operations/0/filter" || !strings.Contains(p.Faults[0].Message, "column 29") {
		t.Errorf("%+v", p.Faults)
	}
	x := at(t, s, demo.Administrator)
	x.says(0, `chooses users in Engineering / Dredging and below`, "groups", "show", "dredging-contractors")
	x.says(0, "Done, as revision", "change", writeFile(t, `{"operations":[{"op":"update_group","group":"dredging-contractors","filter":""}],"reason":"No season"}`))
	x.says(0, "every hash and every row matches", "ledger", "verify")
}

func writeFile(t *testing.T, text string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "change.json")
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

// A would-be user stands among the rows of the grid with what rules and groups
// everybody is in would give; nothing of it is kept.
func TestTheGridShowsAWouldBeUser(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	cells := func(wouldBe, action, path string) wire.GridCell {
		t.Helper()
		g, err := marta.Grid(ctx, client.Query{"application": "works-orders", "would_be": wouldBe, "limit": "3"})
		if err != nil || len(g.Rows) != 5 || g.Rows[0].Kind != "nobody" || g.Rows[1].Kind != "would_be" || g.Rows[2].Kind != "user" {
			t.Fatalf("%d rows (%v)", len(g.Rows), err)
		}
		for i, c := range g.Columns {
			if c.Action == action && c.Path == path {
				return g.Rows[1].Cells[i]
			}
		}
		t.Fatal("no such column")
		return wire.GridCell{}
	}
	if c := cells(`{"unit":"engineering/dredging","employment_type":"contractor"}`, "update", "contracts/dredging"); c.Mark != "group" {
		t.Errorf("a dredging contractor: %+v", c)
	}
	if c := cells(`{"unit":"engineering/dredging","employment_type":"staff"}`, "update", "contracts/dredging"); c.Mark != "" {
		t.Errorf("somebody of the staff: %+v", c)
	}
	for bad, place := range map[string]string{`{"unit":"a//b"}`: "would_be/unit", `{"shoe_size":4}`: "would_be", `contractor`: "would_be"} {
		_, err := marta.Grid(ctx, client.Query{"application": "works-orders", "would_be": bad})
		if p := problem(t, err, 422, "invalid"); p.Faults[0].Place != place {
			t.Errorf("%s: %+v", bad, p.Faults)
		}
	}
	_, err := marta.User(ctx, "would-be", nil)
	problem(t, err, 404, "not-found")
	x := at(t, s, demo.Administrator)
	x.says(0, "A would-be user", "grid", "works-orders", "-limit", "2", "-would-be", "unit=engineering/dredging,employment_type=contractor")
}

// What a rehearsal let through is counted by user, action and path, and told
// with whether live would deny it still.
func TestARehearsalIsCounted(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, acknowledged(changeOf("Before going live", `{"op":"update_application","application":"works-orders","state":"rehearsal"}`), "leaving_live"), false); err != nil {
		t.Fatal(err)
	}
	ask := func(user, action, path string) {
		t.Helper()
		if !allowed(t, marta, user, "works-orders", action, path) {
			t.Errorf("%s may not %s %s in rehearsal", user, action, path)
		}
	}
	for range 3 {
		ask(demo.Pilot, "approve", "orders/cranes")
	}
	ask(demo.Pilot, "read", "nothing/registered")
	ask(demo.Auditor, "close", "orders")
	s.Stop(t) // what waits is flushed
	s = testkit.Serve(t, database)
	marta.Base = s.Base
	if _, err := marta.Change(ctx, changeOf("They need it", grantTo(demo.Auditor, "works-orders/closer")), false); err != nil {
		t.Fatal(err)
	}
	r, err := marta.Rehearsal(ctx, "works-orders")
	if err != nil || len(r.Counts) != 3 || r.Counts[0].Times != 3 || r.Counts[0].User.Key != demo.Pilot || r.Counts[0].Action != "approve" || !r.Counts[0].Denied {
		t.Fatalf("%+v %v", r, err)
	}
	for _, c := range r.Counts {
		if c.Denied == (c.User.Key == demo.Auditor) {
			t.Errorf("%+v", c)
		}
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "ines.halloran approve orders/cranes 3", "applications", "rehearsal", "works-orders")
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/applications/works-orders?tab=live")
	b.Sees("Used in the rehearsal, and denied once live")
	b.Sees("Inês Halloran approve orders/cranes 3")
	b.SeesNot("Bettina Osei close orders") // hers by now
	b.Press("denied: why")
	b.Sees("once it is live, this is denied: no role held gives it.")
	b.Sees("Roles that would allow it:")
	b.Accessible()
	_, err = s.SignIn(t, demo.Manager).Rehearsal(ctx, "works-orders")
	problem(t, err, 404, "not-found")
}

// acknowledged is a change with guard rails passed.
func acknowledged(c wire.ChangeRequest, codes ...string) wire.ChangeRequest {
	c.Acknowledge = codes
	return c
}
