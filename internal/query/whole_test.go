package query_test

import (
	"fmt"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
)

// Answers are whole, however much somebody holds and however many ways there are to it.
func TestAnswersAreWholeHoweverMuchSomebodyHolds(t *testing.T) {
	ops := []change.Operation{&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"}, &people.AddUser{Personal: fact.Personal{UserName: "ines"}},
		&roles.AddApplication{Key: "app", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}}}}
	for r := range 4 {
		role := change.RoleRef(fmt.Sprintf("app/r%d", r))
		ops = append(ops, &roles.AddRole{Key: fmt.Sprintf("r%d", r), Application: "app"})
		for i := range 55 {
			path := fmt.Sprintf("x%d", 55*r+i)
			ops = append(ops, &roles.AddResource{Application: "app", Path: path}, &roles.AddPermission{Role: role, Actions: []string{"read"}, Pattern: path})
		}
		ops = append(ops, &roles.Grant{Role: role, User: "ines"})
	}
	agree(t, laws.DraftOf(access.Empty(), ops...), 220)
}

// A lattice of groups has so many ways up that nobody could list them; what lies at its
// top is held all the same, at all the times at which any way holds.
func TestAnswersAreWholeHoweverManyWaysThereAre(t *testing.T) {
	ops := []change.Operation{&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"}, &people.AddUser{Personal: fact.Personal{UserName: "ines"}},
		&roles.AddApplication{Key: "app", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}}}, &roles.AddResource{Application: "app", Path: "x0"}, &roles.AddResource{Application: "app", Path: "x1"}}
	const levels, wide = 9, 5 // 5 to the power of 9 ways
	for l := range levels {
		for i := range wide {
			key := change.GroupRef(fmt.Sprintf("g%d-%d", l, i))
			ops = append(ops, &roles.AddGroup{Key: string(key)})
			if l == 0 {
				ops = append(ops, &roles.AddMember{Group: key, User: "ines", Window: map[bool]calendar.Window{true: {From: 1000}, false: {}}[i == 0]})
				continue
			}
			for k := range wide {
				ops = append(ops, &roles.AddMember{Group: key, Member: change.GroupRef(fmt.Sprintf("g%d-%d", l-1, k))})
			}
		}
	}
	for i := range 2 {
		role := change.RoleRef(fmt.Sprintf("app/r%d", i))
		ops = append(ops, &roles.AddRole{Key: fmt.Sprintf("r%d", i), Application: "app"}, &roles.AddPermission{Role: role, Actions: []string{"read"}, Pattern: fmt.Sprintf("x%d", i)},
			&roles.Grant{Role: role, Group: change.GroupRef(fmt.Sprintf("g%d-%d", levels-1, wide-1-i))})
	}
	s := agree(t, laws.DraftOf(access.Empty(), ops...), 2)
	id, _ := s.FindUser("ines")
	app, _ := s.FindApplication("app")
	e, err := query.Explain(s, access.Question{User: "ines", Application: "app", Action: "read", Path: "x1", At: 5})
	if err != nil || !e.Allowed || len(e.Chains) == 0 || !e.More {
		t.Errorf("%+v %v: the cut is to be said", e.Decision, err)
	}
	if lines := query.Access(s, id, 5); len(lines) != 2 || !lines[0].More || !lines[0].When.Always() {
		t.Errorf("%+v", lines)
	}
	if w := query.WayToRole(s, id, s.RoleTable.At(1).Fact.ID, 5); w == nil {
		t.Error("no way to a role that is held")
	}
	if n := len(query.RoleHolding(s, fact.RoleID(2), 5)); n != 1 {
		t.Errorf("%d hold the role", n)
	}
	if got := query.Cells(s, id, app, 5, []query.Target{{Action: "read", Path: "x0"}})[0]; got.Chain == nil || got.Until != 0 {
		t.Errorf("%+v", got)
	}
}

// agree holds access, holders and grid to check in every cell.
func agree(t *testing.T, d *change.Draft, things int) *access.Snapshot {
	t.Helper()
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s := d.Seal(1, 1)
	id, _ := s.FindUser("ines")
	app, _ := s.FindApplication("app")
	lines := query.Access(s, id, 5)
	var targets []query.Target
	for i := range things {
		targets = append(targets, query.Target{Action: "read", Path: fmt.Sprintf("x%d", i)})
	}
	cells := query.Cells(s, id, app, 5, targets)
	for i, x := range targets {
		check, err := s.Check(access.Question{User: "ines", Application: "app", Action: "read", Path: x.Path, At: 5})
		if err != nil || !check.Allowed {
			t.Fatalf("%s: %+v %v", x.Path, check, err)
		}
		listed := false
		for _, l := range lines {
			listed = listed || l.Pattern == x.Path && l.When.Holds(5) && len(l.Chains) > 0
		}
		holders := query.Holders(s, app, "read", x.Path, 5)
		if !listed || cells[i].Chain == nil || len(holders) != 1 || holders[0].User != id {
			t.Fatalf("%s is granted: listed %v, in the grid %v, %d holders", x.Path, listed, cells[i].Chain != nil, len(holders))
		}
	}
	return s
}
