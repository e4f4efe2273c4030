package e2e

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Expectations stand in the way of every change that would break one, whoever
// makes it and through whatever; and each says since when and by what it is
// broken.
func TestExpectationsStandInTheWay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	all, err := marta.Expectations(ctx, nil)
	if err != nil || len(all.Expectations) != 4 || all.Broken != 1 {
		t.Fatalf("%+v (%v)", all, err)
	}
	if b := all.Expectations[0].Broken; b == nil || b.UserCount != 3 || b.Since == nil || b.Change == nil || b.Change.Reason == "" || b.Change.By == nil {
		t.Errorf("broken by %+v", b)
	}
	for name, req := range map[string]wire.ChangeRequest{
		"directly":             changeOf("x", grantTo(demo.Pilot, "tariff-ledger/setter")),
		"through a group":      changeOf("x", `{"op":"grant","group":"night-pilots","role":"finance-lead"}`),
		"by membership":        changeOf("x", `{"op":"add_member","group":"finance-leads","user":"ines.halloran"}`),
		"by inclusion":         changeOf("x", `{"op":"include_role","role":"staff","includes":"tariff-ledger/setter"}`),
		"by permission":        changeOf("x", `{"op":"add_permission","role":"tariff-ledger/reader","actions":["update"],"pattern":"tariffs/quay"}`),
		"next month":           changeOf("x", `{"op":"grant","user":"ines.halloran","role":"tariff-ledger/setter","from":"2030-01-01T00:00:00Z"}`),
		"by coming to a group": changeOf("x", `{"op":"add_user","user_name":"zoe.marrick"}`, `{"op":"grant","user":"zoe.marrick","role":"tariff-ledger/setter"}`, `{"op":"add_member","group":"pilots","user":"zoe.marrick"}`),
	} {
		req.Acknowledge = []string{"expectation_broken", "wide_gain", "gain_for_everybody"} // it cannot be passed
		_, err := marta.Change(ctx, req, false)
		var p *wire.Problem
		if !errors.As(err, &p) || p.Status != 409 {
			t.Errorf("%s: %v %v", name, err, p)
			continue
		}
		if !slices.ContainsFunc(p.Rails, func(r wire.Rail) bool {
			return r.Code == "expectation_broken" && !r.Passable && strings.Contains(r.Message, "Pilots cannot change tariffs")
		}) {
			t.Errorf("%s: %v", name, p.Rails)
		}
	}
	// One that warns is passed; what is taken away from nobody signed in is seen too.
	x.says(3, "“Only finance leads release credits” would be broken by Bettina Osei", "grant", "b.osei", "tariff-ledger/credit-releaser", "-reason", "x")
	x.says(0, "Done, as revision", "grant", "b.osei", "tariff-ledger/credit-releaser", "-reason", "Looks at it", "-acknowledge", "expectation_warned")
	x.says(3, "“Anybody can read the tides” would be broken by nobody signed in", "revoke", "public", "tide-board/viewer", "-to-group", "-reason", "x")
	x.says(3, "“Anybody can read the tides” would be broken by nobody signed in", "change", writeFile(t, `{"operations":[{"op":"update_resource","application":"tide-board","path":"tides","retired":true}]}`), "-reason", "x", "-acknowledge", "wide_loss")
	x.says(1, "Bettina Osei", "expectations", "list", "-broken")
	x.says(0, `"broken"`, "expectations", "list", "-output", "json")
	// As it was: it held before anybody was given it.
	x.says(0, "There are no expectations", "expectations", "list", "-as-of", "2026-01-01")
	x.says(0, "No longer expects", "expectations", "end", "pilots-no-tariffs", "-reason", "They take part in the tariff round")
	x.says(0, "Done, as revision", "grant", demo.Pilot, "tariff-ledger/setter", "-reason", "The tariff round")
	// One that fails already when written is written, and says so.
	x.says(0, "It does not hold yet: Inês Halloran", "expectations", "set", "ines-no-tariffs", "may-not", "tariff-ledger", "update", "tariffs", "-user", demo.Pilot, "-blocking", "-reason", "After the round")
	x.says(0, "so already", "expectations", "set", "ines-no-tariffs", "may-not", "tariff-ledger", "update", "tariffs", "-user", demo.Pilot, "-blocking", "-dry-run")
	x.says(0, "The ledger verifies", "ledger", "verify")
}

// Two changes at once, each of which alone keeps an expectation and which
// together would break it: one of them is refused.
func TestTwoChangesThatTogetherBreakAnExpectation(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	for i := range 25 {
		key := fmt.Sprintf("raced-%d", i)
		must := func(ops ...string) {
			t.Helper()
			if _, err := marta.Change(ctx, changeOf("x", ops...), false); err != nil {
				t.Fatal(err)
			}
		}
		must(fmt.Sprintf(`{"op":"add_group","key":%q}`, key), fmt.Sprintf(`{"op":"add_user","user_name":%q}`, key+".user"),
			fmt.Sprintf(`{"op":"set_expectation","key":%q,"group":%q,"application":"tariff-ledger","action":"update","pattern":"tariffs","blocking":true}`, key, key))
		var wait sync.WaitGroup
		errs := make([]error, 2)
		for k, op := range []string{fmt.Sprintf(`{"op":"add_member","group":%q,"user":%q}`, key, key+".user"), grantTo(key+".user", "tariff-ledger/setter")} {
			wait.Go(func() { _, errs[k] = marta.Change(ctx, changeOf("x", op), false) })
		}
		wait.Wait()
		if (errs[0] == nil) == (errs[1] == nil) {
			t.Fatalf("round %d: %v, %v", i, errs[0], errs[1])
		}
	}
}

// Everything that describes an application or a role is refused whole where it is
// wrong, with every fault at its place; and two who edit the same role do not
// overwrite each other.
func TestBadDescriptionsAreRefusedWhole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	long := strings.Repeat("x", 3000)
	for op, want := range map[string]string{
		`{"op":"add_application","key":"Quays","label":"` + long + `","actions":[]}`:                                                                                       "key label actions",
		`{"op":"add_application","key":"quays","actions":[{"key":"read"},{"key":"read"},{"key":"Two Words"}],"owner":"nobody.here"}`:                                       "actions actions owner",
		`{"op":"update_application","application":"berth-planning","direct_assignments":"sometimes","state":"asleep","owner":"nobody.here"}`:                               "direct_assignments state owner",
		`{"op":"update_application","application":"able-roster","state":"draft"}`:                                                                                          "application",
		`{"op":"add_resource","application":"berth-planning","path":"board//x"}`:                                                                                           "path",
		`{"op":"add_resource","application":"berth-planning","path":"nowhere/below"}`:                                                                                      "path",
		`{"op":"add_resource","application":"berth-planning","path":"board","kind":"` + long + `"}`:                                                                        "path kind",
		`{"op":"update_resource","application":"berth-planning","path":"/","retired":true}`:                                                                                "retired",
		`{"op":"add_fence","application":"berth-planning","pattern":"/","actions":["fly"]}`:                                                                                "pattern actions",
		`{"op":"add_role","key":"x","application":"berth-planning","risk":"enormous","max_days":99999,"owner":"nobody.here"}`:                                              "risk max_days owner",
		`{"op":"update_role","role":"berth-planning/reader","risk":"none","max_days":-1}`:                                                                                  "risk max_days",
		`{"op":"add_permission","role":"berth-planning/reader","actions":["fly"],"pattern":"a/../b"}`:                                                                      "pattern actions",
		`{"op":"set_expectation","key":"Bad Key","user":"ines.halloran","group":"pilots","application":"tariff-ledger","action":"fly","pattern":"","owner":"nobody.here"}`: "key user action pattern owner",
		`{"op":"set_expectation","key":"x","application":"tariff-ledger","action":"read","pattern":"tariffs"}`:                                                             "user",
		`{"op":"set_expectation","key":"x","user":"ines.halloran","except":true,"application":"tariff-ledger","action":"read","pattern":"tariffs"}`:                        "except",
		`{"op":"set_aside_finding","findings":["nonsense","role_unheld"],"until":"2027-01-01"}`:                                                                            "findings findings",
		`{"op":"set_aside_finding","findings":["role_unheld:role-65"],"until":"2020-01-01"}`:                                                                               "until",
		`{"op":"set_aside_finding","findings":["role_unheld:role-65"],"until":"2099-01-01"}`:                                                                               "until",
		`{"op":"set_aside_finding","findings":["role_unheld:role-65"]}`:                                                                                                    "until",
		`{"op":"take_up_finding","findings":["role_unheld:role-65"]}`:                                                                                                      "findings",
	} {
		_, err := marta.Change(ctx, changeOf("x", op), false)
		p := problem(t, err, 422, "invalid")
		var got []string
		for _, f := range p.Faults {
			got = append(got, strings.TrimPrefix(f.Place, "/operations/0/"))
		}
		wanted := strings.Fields(want)
		slices.Sort(got)
		slices.Sort(wanted)
		if !slices.Equal(got, wanted) {
			t.Errorf("%.120s: faults at %v, want %v (%v)", op, got, wanted, p.Faults)
		}
	}
	// A role that is held for at most so long, however it is given.
	for _, ops := range [][]string{
		{`{"op":"update_role","role":"tariff-ledger/setter","max_days":30}`, grantTo("b.osei", "tariff-ledger/setter")},
		{`{"op":"update_role","role":"tariff-ledger/setter","max_days":30}`, `{"op":"grant","user":"b.osei","role":"tariff-ledger/setter","until":"2099-01-01T00:00:00Z"}`},
		{`{"op":"update_role","role":"tariff-ledger/setter","max_days":30}`, `{"op":"add_default","key":"x","everybody":true,"roles":["tariff-ledger/setter"]}`},
		{`{"op":"update_application","application":"tariff-ledger","direct_assignments":"refused"}`, grantTo("b.osei", "tariff-ledger/reader")},
	} {
		_, err := marta.Change(ctx, changeOf("x", ops...), false)
		if p := problem(t, err, 422, "invalid"); len(p.Faults) != 1 || !strings.HasPrefix(p.Faults[0].Place, "/operations/1") {
			t.Errorf("%v: %v", ops, p.Faults)
		}
	}
	// Two who look at the same role.
	role, err := marta.Role(ctx, "berth-planning/planner", nil)
	if err != nil {
		t.Fatal(err)
	}
	first := changeOf("The new words", `{"op":"update_role","role":"berth-planning/planner","label":"Planner of weeks"}`)
	second := changeOf("Other words", `{"op":"update_role","role":"berth-planning/planner","description":"Plans."}`)
	first.BasedOn, second.BasedOn = role.Revision, role.Revision
	if _, err := marta.Change(ctx, first, false); err != nil {
		t.Fatal(err)
	}
	_, err = marta.Change(ctx, second, false)
	if p := problem(t, err, 409, "moved"); len(p.Moved) != 1 || p.Moved[0].What.Key != "berth-planning/planner" {
		t.Errorf("%+v", p)
	}
}

// An application's own list is compared whole: faults with their lines, what is
// forgotten with its sisters, what is gone; and a very long list is refused.
func TestComparingWithTheApplicationsOwnList(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	c, err := marta.Compare(ctx, "berth-planning", wire.ComparisonRequest{Paths: []string{"board\tBoard", "board/arrivals", "board/pilots/now\tPilots now", "voyages/2027/first", ""}})
	if err != nil || c.Matching != 3 || len(c.Missing) != 1 || len(c.Missing[0].Operations) != 2 || !slices.Contains(c.Unlisted, "plans") || slices.Contains(c.Unlisted, "board") {
		t.Fatalf("%+v (%v)", c, err)
	}
	if roles := fmt.Sprint(c.Missing[0].Roles); !strings.Contains(roles, "berth-planning/reader") {
		t.Errorf("it would be reached by %s", roles)
	}
	req := wire.ChangeRequest{Reason: "Forgotten", Operations: c.Operations, Acknowledge: []string{"wide_gain"}}
	if _, err := marta.Change(ctx, req, false); err != nil {
		t.Fatal(err)
	}
	if c, err = marta.Compare(ctx, "berth-planning", wire.ComparisonRequest{Paths: []string{"board/pilots/now"}}); err != nil || len(c.Missing) != 0 {
		t.Errorf("%+v (%v)", c, err)
	}
	_, err = marta.Compare(ctx, "berth-planning", wire.ComparisonRequest{Paths: []string{"a//b", "board", "board", "x*"}})
	if p := problem(t, err, 422, "invalid"); len(p.Faults) != 3 || p.Faults[0].Place != "/paths/0" || p.Faults[1].Place != "/paths/2" {
		t.Errorf("%v", p.Faults)
	}
	_, err = marta.Compare(ctx, "berth-planning", wire.ComparisonRequest{})
	problem(t, err, 422, "invalid")
	many := make([]string, 100_001)
	for i := range many {
		many[i] = fmt.Sprintf("p%d", i)
	}
	_, err = marta.Compare(ctx, "berth-planning", wire.ComparisonRequest{Paths: many})
	problem(t, err, 422, "invalid")
	if c, err := marta.Compare(ctx, "berth-planning", wire.ComparisonRequest{Paths: many[:100_000]}); err != nil || len(c.Missing) != 100_000 {
		t.Errorf("%d missing (%v)", len(c.Missing), err)
	}
	_, err = s.SignIn(t, demo.Pilot).Compare(ctx, "berth-planning", wire.ComparisonRequest{Asked: true})
	problem(t, err, 404, "not-found")
}

// What mends a finding mends it: after the change each is gone, and what was set
// aside comes back when it is taken up.
func TestWhatMendsAFindingMendsIt(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	all, err := marta.Findings(ctx, client.Query{"limit": "500"})
	if err != nil || all.Total < 20 {
		t.Fatalf("%d found (%v)", all.Total, err)
	}
	has := func(key string, q client.Query) bool {
		t.Helper()
		q["limit"] = "500"
		now, err := marta.Findings(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(now.Findings, func(f wire.Finding) bool { return f.Key == key })
	}
	mended := 0
	for _, f := range all.Findings {
		if f.Message == "" || f.MendWords == "" {
			t.Errorf("%+v", f)
		}
		if len(f.Mend) == 0 || !has(f.Key, client.Query{}) { // another change mended it
			continue
		}
		req := wire.ChangeRequest{Reason: f.MendWords, Operations: f.Mend, Acknowledge: []string{"wide_gain", "gain_for_everybody", "wide_loss", "violation_warned", "expectation_warned"}}
		if _, err := marta.Change(ctx, req, false); err != nil {
			t.Errorf("%s: %v", f.Key, err)
			continue
		}
		if mended++; has(f.Key, client.Query{}) {
			t.Errorf("%s is there still", f.Key)
		}
	}
	if mended < 12 {
		t.Errorf("only %d were mended", mended)
	}
	single := ""
	for _, f := range all.Findings {
		if f.Code == "role_single_holder" {
			single = f.Key
		}
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "aside until", "findings", "set-aside", single, "-until", "2027-03-31", "-reason", "A second one begins in spring")
	if has(single, client.Query{}) || !has(single, client.Query{"aside": "true"}) {
		t.Error("what was set aside is still there, or nowhere")
	}
	x.says(0, "A second one begins in spring", "findings", "list", "-aside")
	x.says(0, "Took 1 finding", "findings", "show-again", single, "-reason", "Spring is here")
	if !has(single, client.Query{}) {
		t.Error("it did not come back")
	}
	// The manager of the marine unit sees those of his part.
	tomas := s.SignIn(t, demo.Manager)
	his, err := tomas.Findings(ctx, client.Query{"limit": "500"})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range his.Findings {
		if f.Application != nil && f.Application.Key != "berth-planning" && f.Application.Key != "pilot-roster" {
			t.Errorf("the marine manager is told of %+v", f)
		}
	}
	_, err = tomas.Change(ctx, changeOf("x", `{"op":"set_aside_finding","findings":["role_unheld:role-65"],"until":"2027-01-01"}`), false)
	problem(t, err, 403, "refused")
}

// A roster file is loaded whole or not at all, and every fault names its line.
func TestARosterFileIsRefusedWhole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	before, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	bad := writeFile(t, "roster_file: 1\napplications:\n  quays:\n    actions: [{key: read}]\n    resources:\n      a/b: {}\n    roles:\n      reader:\n        owner: nobody.here\n        permissions:\n          - {actions: [fly], pattern: boats}\n  tide-board:\n    state: draft\n")
	out := x.says(3, "line 6, column 7", "file", "load", bad, "-reason", "x")
	for _, want := range []string{"line 9", "there is no user “nobody.here”", "line 11", "declares no action “fly”", "the parent “a” is not registered"} {
		if !strings.Contains(out, want) {
			t.Errorf("no “%s” in\n%s", want, out)
		}
	}
	x.says(3, "is version 2", "file", "load", writeFile(t, "roster_file: 2\n"), "-reason", "x")
	x.says(3, "reason: is blank", "file", "load", writeFile(t, "roster_file: 1\n"), "-reason", " ")
	x.says(3, "leaving_live", "file", "load", writeFile(t, "roster_file: 1\napplications: {tide-board: {state: rehearsal}}\n"), "-reason", "x", "-output", "json")
	if after, err := marta.Me(ctx); err != nil || after.Revision != before.Revision {
		t.Errorf("revision %d, then %d (%v)", before.Revision, after.Revision, err)
	}
	// Whoever may not make a change may not load a file that makes it.
	at(t, s, demo.Manager).says(3, "you may not", "file", "load", writeFile(t, "roster_file: 1\nroles: {new-role: {label: New}}\n"), "-reason", "x")
	// Ten thousand resources in one file.
	var big strings.Builder
	big.WriteString("roster_file: 1\napplications:\n  quays:\n    actions: [{key: read}]\n    resources:\n      shelf: {}\n")
	for i := range 10_000 {
		fmt.Fprintf(&big, "      shelf/%05d: {label: Shelf %d}\n", i, i)
	}
	x.says(0, "and 9977 more", "file", "load", writeFile(t, big.String()), "-reason", "The shelves")
	c, err := marta.Coverage(ctx, "quays", nil)
	if err != nil || len(c.Rows) != 10_002 || c.Unreached != 10_002 {
		t.Errorf("%d rows, %d unreached (%v)", len(c.Rows), c.Unreached, err)
	}
	x.says(0, "$schema", "file", "schema")
}

// Whoever looks through somebody's eyes sees what they may read themselves, and
// it is recorded.
func TestViewingAsIsUnderOnesOwnRightsAndRecorded(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	whole, err := marta.ViewAs(ctx, client.Query{"user": demo.Pilot})
	if err != nil || len(whole.Applications) != 10 || whole.Outside || len(whole.Lines) < 10 {
		t.Fatalf("%d applications, %d lines (%v)", len(whole.Applications), len(whole.Lines), err)
	}
	part, err := tomas.ViewAs(ctx, client.Query{"user": demo.Pilot})
	if err != nil || len(part.Applications) != 2 || !part.Outside {
		t.Errorf("%d applications, outside %v (%v)", len(part.Applications), part.Outside, err)
	}
	_, err = tomas.ViewAs(ctx, client.Query{"user": "b.osei"})
	problem(t, err, 404, "not-found")
	// What she would find is what a check says of each.
	for _, a := range whole.Applications {
		for _, r := range a.Shows {
			for _, action := range r.Actions {
				if !allowed(t, marta, demo.Pilot, a.Application.Key, action, r.Path) {
					t.Errorf("she may not %s %s in %s", action, r.Path, a.Application.Key)
				}
			}
			for _, action := range r.Missing {
				if allowed(t, marta, demo.Pilot, a.Application.Key, action, r.Path) {
					t.Errorf("she may %s %s in %s", action, r.Path, a.Application.Key)
				}
			}
		}
	}
	nobody, err := marta.ViewAs(ctx, client.Query{"nobody": "true"})
	if err != nil || nobody.Kind != "nobody" || len(nobody.Lines) != 1 {
		t.Errorf("%+v (%v)", nobody, err)
	}
	newcomer, err := marta.ViewAs(ctx, client.Query{"would_be": `{"unit":"terminal/cranes","title":"Crane operator"}`})
	if err != nil || newcomer.Kind != "would_be" || len(newcomer.Lines) < 3 {
		t.Errorf("%+v (%v)", newcomer, err)
	}
	var n int
	if err := testkit.Pool(t, database).QueryRow(ctx, "select count(*) from security_event where event = 'viewed as somebody else'").Scan(&n); err != nil || n != 2 {
		t.Errorf("%d were recorded (%v)", n, err)
	}
}
