package access

import (
	"fmt"
	"testing"

	"ableroster/internal/calendar"
)

// Answers are whole, however much somebody holds and however many ways there are to it.
func TestAnswersAreWholeHoweverMuchSomebodyHolds(t *testing.T) {
	ops := []Operation{&SetOrganisation{"Larkhaven", "UTC"}, &AddUser{Personal: Personal{UserName: "ines"}},
		&AddApplication{Key: "app", State: StateLive, Actions: []Action{{Key: "read"}}}}
	for r := range 4 {
		role := RoleRef(fmt.Sprintf("app/r%d", r))
		ops = append(ops, &AddRole{Key: fmt.Sprintf("r%d", r), Application: "app"})
		for i := range 55 {
			path := fmt.Sprintf("x%d", 55*r+i)
			ops = append(ops, &AddResource{Application: "app", Path: path}, &AddPermission{Role: role, Actions: []string{"read"}, Pattern: path})
		}
		ops = append(ops, &Grant{Role: role, User: "ines"})
	}
	agree(t, draftOf(Empty(), ops...), 220)
}

// A lattice of groups has so many ways up that nobody could list them; what lies at its
// top is held all the same, at all the times at which any way holds.
func TestAnswersAreWholeHoweverManyWaysThereAre(t *testing.T) {
	ops := []Operation{&SetOrganisation{"Larkhaven", "UTC"}, &AddUser{Personal: Personal{UserName: "ines"}},
		&AddApplication{Key: "app", State: StateLive, Actions: []Action{{Key: "read"}}}, &AddResource{Application: "app", Path: "x0"}, &AddResource{Application: "app", Path: "x1"}}
	const levels, wide = 9, 5 // 5 to the power of 9 ways
	for l := range levels {
		for i := range wide {
			key := GroupRef(fmt.Sprintf("g%d-%d", l, i))
			ops = append(ops, &AddGroup{Key: string(key)})
			if l == 0 {
				ops = append(ops, &AddMember{Group: key, User: "ines", Window: map[bool]calendar.Window{true: {From: 1000}, false: {}}[i == 0]})
				continue
			}
			for k := range wide {
				ops = append(ops, &AddMember{Group: key, Member: GroupRef(fmt.Sprintf("g%d-%d", l-1, k))})
			}
		}
	}
	for i := range 2 {
		role := RoleRef(fmt.Sprintf("app/r%d", i))
		ops = append(ops, &AddRole{Key: fmt.Sprintf("r%d", i), Application: "app"}, &AddPermission{Role: role, Actions: []string{"read"}, Pattern: fmt.Sprintf("x%d", i)},
			&Grant{Role: role, Group: GroupRef(fmt.Sprintf("g%d-%d", levels-1, wide-1-i))})
	}
	s := agree(t, draftOf(Empty(), ops...), 2)
	id, _ := s.FindUser("ines")
	app, _ := s.FindApplication("app")
	e, err := s.Explain(Question{User: "ines", Application: "app", Action: "read", Path: "x1", At: 5})
	if err != nil || !e.Allowed || len(e.Chains) == 0 || !e.More {
		t.Errorf("%+v %v: the cut is to be said", e.Decision, err)
	}
	if lines := s.Access(id, 5); len(lines) != 2 || !lines[0].More || !lines[0].When.Always() {
		t.Errorf("%+v", lines)
	}
	if w := s.WayToRole(id, s.roles.At(1).fact.ID, 5); w == nil {
		t.Error("no way to a role that is held")
	}
	if n := len(s.RoleHolding(RoleID(2), 5)); n != 1 {
		t.Errorf("%d hold the role", n)
	}
	if got := s.Cells(id, app, 5, []Target{{"read", "x0"}})[0]; got.Chain == nil || got.Until != 0 {
		t.Errorf("%+v", got)
	}
}

// agree holds access, holders and grid to check in every cell.
func agree(t *testing.T, d *Draft, things int) *Snapshot {
	t.Helper()
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s := d.Seal(1, 1)
	id, _ := s.FindUser("ines")
	app, _ := s.FindApplication("app")
	lines := s.Access(id, 5)
	var targets []Target
	for i := range things {
		targets = append(targets, Target{"read", fmt.Sprintf("x%d", i)})
	}
	cells := s.Cells(id, app, 5, targets)
	for i, x := range targets {
		check, err := s.Check(Question{User: "ines", Application: "app", Action: "read", Path: x.Path, At: 5})
		if err != nil || !check.Allowed {
			t.Fatalf("%s: %+v %v", x.Path, check, err)
		}
		listed := false
		for _, l := range lines {
			listed = listed || l.Pattern == x.Path && l.When.Holds(5) && len(l.Chains) > 0
		}
		holders := s.Holders(app, "read", x.Path, 5)
		if !listed || cells[i].Chain == nil || len(holders) != 1 || holders[0].User != id {
			t.Fatalf("%s is granted: listed %v, in the grid %v, %d holders", x.Path, listed, cells[i].Chain != nil, len(holders))
		}
	}
	return s
}
