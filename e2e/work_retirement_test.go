package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// operationsOf are those of all lines.
func operationsOf(lines []wire.UndoLine) (ops []json.RawMessage) {
	for _, l := range lines {
		ops = append(ops, l.Operations...)
	}
	return ops
}

// Of every role of the demo it is told what hangs on it; what settles that fits, leaves
// nothing hanging, and the role retired. With a replacement whoever held the one holds the
// other, on the same limits.
func TestARoleIsRetiredWithWhatHangsOnIt(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	roles, err := marta.Roles(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]int{}
	for _, r := range roles.Roles {
		if r.Retired || r.Key == "access-administrator" {
			continue
		}
		x, err := marta.RoleRetirement(ctx, r.Key, nil)
		if err != nil {
			t.Fatal(r.Key, err)
		}
		for _, tie := range x.Ties {
			kinds[tie.Kind]++
			if tie.Thing.Label == "" || tie.Words == "" {
				t.Errorf("%s: %+v", r.Key, tie)
			}
		}
		if _, err := marta.Change(ctx, wire.ChangeRequest{Operations: operationsOf(x.Lines)}, true); err != nil {
			t.Errorf("%s: %v", r.Key, err)
		}
	}
	for _, kind := range []string{"user", "group", "role", "default", "requestable", "request", "sod_rule"} {
		if kinds[kind] == 0 {
			t.Errorf("no tie is a %s: %v", kind, kinds)
		}
	}
	before, err := assignmentsOf(marta, "berth-planning/scheduler")
	if err != nil || len(before.Assignments) < 2 {
		t.Fatal(before, err)
	}
	x, err := marta.RoleRetirement(ctx, "berth-planning/scheduler", client.Query{"replacement": "berth-planning/north-scheduler"})
	if err != nil {
		t.Fatal(err)
	}
	req := wire.ChangeRequest{Reason: "One scheduler is enough", Operations: operationsOf(x.Lines), BasedOn: x.Revision, Acknowledge: []string{"wide_gain", "wide_loss", "violation_warned", "expectation_warned", "direct_assignment", "administering_gain"}}
	if _, err := marta.Change(ctx, req, false); err != nil {
		t.Fatal(err)
	}
	after, err := assignmentsOf(marta, "berth-planning/north-scheduler")
	if err != nil {
		t.Fatal(err)
	}
	held := map[string]bool{}
	for _, a := range after.Assignments {
		held[holderOf(a)+" "+limitsOf(a)] = true
	}
	for _, a := range before.Assignments {
		if !held[holderOf(a)+" "+limitsOf(a)] {
			t.Errorf("%s with %s holds nothing instead", holderOf(a), limitsOf(a))
		}
	}
	again, err := marta.RoleRetirement(ctx, "berth-planning/scheduler", nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, tie := range again.Ties {
		if tie.Kind != "request" {
			t.Errorf("still hanging: %+v", tie)
		}
	}
	if r, err := marta.Role(ctx, "berth-planning/scheduler", nil); err != nil || !r.Retired {
		t.Errorf("%+v %v", r.Retired, err)
	}
	for _, bad := range []string{"berth-planning/scheduler", "nothing/here"} {
		if _, err := marta.RoleRetirement(ctx, "berth-planning/reader", client.Query{"replacement": bad}); err == nil && bad != "berth-planning/scheduler" {
			t.Error(bad)
		}
	}
	_, err = marta.RoleRetirement(ctx, "berth-planning/reader", client.Query{"replacement": "berth-planning/reader"})
	problem(t, err, 422, "invalid")
	cli := at(t, s, demo.Administrator)
	cli.says(0, "in the access catalogue", "roles", "retirement", "berth-planning/planner")
	cli.says(0, "Retired", "roles", "retire", "tide-board/editor", "-replacement", "berth-planning/reader", "-dry-run")
}

func assignmentsOf(c *client.Client, role string) (out wire.AssignmentList, err error) {
	return out, c.Do(ctx, "GET", "/assignments", client.Query{"role": role, "limit": "500"}, nil, &out)
}

func holderOf(a wire.Assignment) string { return a.Assignee.ID }

func limitsOf(a wire.Assignment) string {
	raw, _ := json.Marshal([]any{a.From, a.Until, a.Scopes, a.Schedule})
	return string(raw)
}

// Of every application what hangs on it is told, and what settles it fits.
func TestAnApplicationIsRetiredWithWhatHangsOnIt(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	apps, err := marta.Applications(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	accounts := 0
	for _, a := range apps.Applications {
		if a.Key == "able-roster" {
			continue
		}
		x, err := marta.ApplicationRetirement(ctx, a.Key)
		if err != nil {
			t.Fatal(a.Key, err)
		}
		for _, tie := range x.Ties {
			if tie.Kind == "account" {
				accounts++
			}
		}
		r, err := marta.Change(ctx, wire.ChangeRequest{Operations: operationsOf(x.Lines)}, true)
		if err != nil || !strings.Contains(strings.Join(r.Sentences, "; "), a.Label) {
			t.Errorf("%s: %v", a.Key, err)
		}
	}
	if accounts == 0 {
		t.Error("no machine account depends on anything")
	}
	// Who sees a part is told of a part.
	x, err := tomas.ApplicationRetirement(ctx, "berth-planning")
	if err != nil || !x.Outside {
		t.Errorf("%+v %v", x, err)
	}
	b := signedIn(t, s, demo.Administrator)
	b.Go("/roles/berth-planning%2Fscheduler?tab=retire")
	b.Sees("is in the access catalogue")
	b.Pick("Replacement, for its holders", "North", "North quay scheduler")
	b.Accessible()
	b.Press("Put all of it on the change sheet")
	b.Sees("Retire the role Berth scheduler")
	b.Press("Discard")
	b.Go("/applications/tariff-ledger?tab=retire")
	b.Sees("is one of its roles")
	b.Accessible()
}
