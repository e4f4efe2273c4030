package undo_test

import (
	"fmt"
	"strings"
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
	"ableroster/internal/record"
	"ableroster/internal/undo"
)

// whatIs applies what takes a change back, and is what comes of it.
func whatIs(head *access.Snapshot, x undo.Undone) (*change.Draft, error) {
	d := change.NewDraft(head)
	for i, s := range x.Steps {
		d.Apply(i, s.Operation, head.At+1)
		if len(d.Faults) > 0 {
			raw, _ := change.EncodeOperation(s.Operation)
			return nil, fmt.Errorf("%s: %v", raw, &d.Faults[0])
		}
	}
	d.Finish()
	if len(d.Faults) > 0 {
		return nil, &d.Faults[0]
	}
	return d, nil
}

// What takes a change back leaves everybody with what they had: for random organisations and
// changes, unless it says that something stays. A fault in it is told when it is previewed,
// and is rare.
func TestWhatIsUndoneIsAsItWas(t *testing.T) {
	tried, whole, faults := 0, 0, map[string]int{}
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 150 {
			d, ok := c.Change(s, 3)
			if !ok || len(d.Changes()) == 0 {
				continue
			}
			at := s.At + 1
			next := d.Seal(d.Revision, at)
			tried++
			x := undo.Of(d.Changes(), next, at)
			back, err := whatIs(next, x)
			if err != nil {
				faults[err.Error()]++
				continue
			}
			if len(x.Left) > 0 {
				continue
			}
			whole++
			again := back.Seal(back.Revision, at+1)
			for i := range 11 {
				id := fact.UserID(0)
				if i < 10 {
					if id, ok = s.FindUser(fmt.Sprintf("user.%d", i)); !ok {
						continue
					}
				}
				if gained, lost := query.Difference(s, again, id, at+2); len(gained)+len(lost) > 0 {
					var said []string
					for _, o := range x.Steps {
						raw, _ := change.EncodeOperation(o.Operation)
						said = append(said, string(raw))
					}
					var was []string
					for _, x := range d.Changes() {
						was = append(was, fmt.Sprintf("%+v → %+v", x.Before, x.After))
					}
					t.Errorf("%s, of %v, gained %v, lost %v, undone by %v", id, was, gained, lost, said)
				}
			}
		}
	})
	n := 0
	for _, k := range faults {
		n += k
	}
	t.Logf("%d changes: %d taken back whole, %d with faults", tried, whole, n)
	if whole < tried/2 || n > tried/20 {
		for f, k := range faults {
			t.Logf("%d× %s", k, f)
		}
		t.Errorf("of %d changes %d were taken back whole, and %d met a fault", tried, whole, n)
	}
}

func substitutesOf(s *access.Snapshot, name string) []fact.Substitute {
	id, _ := s.FindUser(name)
	f, _ := s.RecordFact(fact.FactSubstitutes, uint32(id)).(*fact.Substitutes)
	return f.Listed()
}

// What others have changed since stays theirs, and is told; what has passed or ended is not
// given back; and what stays for good says so.
func TestWhatStaysIsTold(t *testing.T) {
	gone, back := fact.Departed, "marine/tugs"
	title, other := "Pilot", "Master"
	head := change.UserRef("marta.quill")
	answers := func(purpose string) *people.SetMachineAccount {
		return &people.SetMachineAccount{User: "berth-board", Purpose: purpose, Accountable: []change.UserRef{"marta.quill", "tomas.brandt"}}
	}
	units := []change.Operation{&people.AdoptUnits{}, &roles.AddGroup{Key: "divers", Filter: `within eq "marine"`}}
	freeze := func(why string, until calendar.Instant) *rules.SetFreeze {
		return &rules.SetFreeze{Key: "close", Why: why, Window: calendar.Window{From: 1, Until: 800 + until}}
	}
	expect := func(of string, blocking bool) *rules.SetExpectation {
		x := &rules.SetExpectation{Key: "quiet", Label: "Quiet", Application: "tariffs", Action: "release", Pattern: "/", Blocking: blocking, Owner: "marta.quill"}
		if x.Nobody = of == "nobody"; !x.Nobody {
			x.User = change.UserRef(of)
		}
		return x
	}
	for name, x := range map[string]struct {
		first, ops, since []change.Operation
		steps             int
		left              string
		kept              func(*access.Snapshot) bool // of what comes of it
	}{
		"a title that was changed again": {ops: []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Title: &title}}},
			since: []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Title: &other}}}, steps: 0, left: "Title of Inês Halloran was changed again since."},
		"a role that was revoked since": {ops: []change.Operation{&roles.Grant{Role: "berths/scheduler", User: "ines.halloran"}},
			since: []change.Operation{&roles.Revoke{Role: "berths/scheduler", User: "ines.halloran"}}, steps: 0, left: "Berth scheduler of Inês Halloran was revoked or ended since."},
		"a new user":  {ops: []change.Operation{&people.AddUser{Personal: fact.Personal{UserName: "zoe.marrick", DisplayName: "Zoë Marrick"}}}, steps: 0, left: "Zoë Marrick stays in the ledger"},
		"a departure": {ops: []change.Operation{&people.UpdateUser{User: "ines.halloran", Status: &gone}}, steps: 1, left: "Inês Halloran signs in anew"},
		"a move":      {ops: []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: &back}}}, steps: 1, left: ""},
		"a substitute": {ops: []change.Operation{&people.AddSubstitute{User: "tomas.brandt", Substitute: "ines.halloran", Start: 30000, End: 30009}}, steps: 1,
			kept: func(s *access.Snapshot) bool { return len(substitutesOf(s, "tomas.brandt")) == 0 }},
		"a substitute for longer, and one who is ended": {first: []change.Operation{&people.AddSubstitute{User: "tomas.brandt", Substitute: "ines.halloran", Start: 30000, End: 30009},
			&people.AddSubstitute{User: "tomas.brandt", Substitute: "marta.quill", Start: 30000, End: 30009}},
			ops: []change.Operation{&people.EndSubstitute{User: "tomas.brandt", Number: 1, End: 30019}, &people.EndSubstitute{User: "tomas.brandt", Number: 2}}, steps: 2,
			kept: func(s *access.Snapshot) bool {
				all := substitutesOf(s, "tomas.brandt")
				return len(all) == 2 && all[0].End == 30009 && all[1].End == 30009
			}},
		"a machine account": {ops: []change.Operation{answers("x")}, left: "What was said of the machine account berth-board stays"},
		"what it is for": {first: []change.Operation{answers("x")}, ops: []change.Operation{answers("y")}, steps: 1, kept: func(s *access.Snapshot) bool {
			id, _ := s.FindUser("berth-board")
			return record.MachineAccount(s, id).Purpose == "x"
		}},
		"a legal hold": {ops: []change.Operation{&people.SetLegalHold{User: "ines.halloran", Until: 40}}, steps: 1, kept: func(s *access.Snapshot) bool {
			id, _ := s.FindUser("ines.halloran")
			return record.LegalHold(s, id) == nil
		}},
		"a legal hold that was ended": {first: []change.Operation{&people.SetLegalHold{User: "ines.halloran", Until: 40}}, ops: []change.Operation{&people.EndLegalHold{User: "ines.halloran"}}, steps: 1,
			kept: func(s *access.Snapshot) bool {
				id, _ := s.FindUser("ines.halloran")
				return record.LegalHold(s, id) != nil && record.LegalHold(s, id).Until == 40
			}},
		"a legal hold that was set again": {ops: []change.Operation{&people.SetLegalHold{User: "ines.halloran", Until: 40}}, since: []change.Operation{&people.SetLegalHold{User: "ines.halloran", Until: 50}},
			left: "The legal hold of Inês Halloran was set or ended again since."},
		"a unit": {ops: []change.Operation{&people.AddUnit{Path: "quay"}}, steps: 1},
		"the head of a unit": {first: []change.Operation{&people.AddUnit{Path: "quay"}}, ops: []change.Operation{&people.UpdateUnit{Unit: "quay", Head: &head}}, steps: 1,
			kept: func(s *access.Snapshot) bool { return s.UnitAt("quay").Head == 0 }},
		"a unit that was moved": {first: units, ops: []change.Operation{&people.MoveUnit{Unit: "marine", To: "office/sea"}}, steps: 1, kept: func(s *access.Snapshot) bool {
			id, _ := s.FindUser("ines.halloran")
			g, _ := s.FindGroup("divers")
			return s.User(id).Unit == "marine/pilotage" && s.UnitAt("marine/pilotage") != nil && s.Group(g).Filter == `within eq "marine"`
		}},
		"a unit that was moved again": {first: units, ops: []change.Operation{&people.MoveUnit{Unit: "marine", To: "office/sea"}}, since: []change.Operation{&people.MoveUnit{Unit: "office/sea", To: "sea"}}, left: "marine was moved again since."},
		"a unit that was merged":      {first: []change.Operation{&people.AddUnit{Path: "quay"}, &people.AddUnit{Path: "dock"}}, ops: []change.Operation{&people.MergeUnit{Unit: "quay", Into: "dock"}}, left: "The unit quay has ended and stays so"},
		"a new role":                  {ops: []change.Operation{&roles.AddRole{Key: "deckhand"}}, steps: 1, left: ""},
		"a freeze":                    {ops: []change.Operation{freeze("x", 0)}, steps: 1},
		"a freeze put off since":      {ops: []change.Operation{freeze("x", 0)}, since: []change.Operation{freeze("x", 900)}, steps: 1},
		"a freeze ended since":        {ops: []change.Operation{freeze("x", 0)}, since: []change.Operation{&rules.EndFreeze{Freeze: "close"}}},
		"a freeze put off":            {first: []change.Operation{freeze("x", 0)}, ops: []change.Operation{freeze("x", 900)}, steps: 1},
		"a freeze put off twice":      {first: []change.Operation{freeze("x", 0)}, ops: []change.Operation{freeze("x", 900)}, since: []change.Operation{freeze("x", 950)}, left: "Until of close was changed again since."},
		"why, when it is put off": {first: []change.Operation{freeze("x", 0)}, ops: []change.Operation{freeze("y", 0)}, since: []change.Operation{freeze("y", 950)}, steps: 1, kept: func(s *access.Snapshot) bool {
			f := s.Freezes()[0]
			return f.Why == "x" && f.Until == 1750
		}},
		"the end of a freeze": {first: []change.Operation{freeze("x", 0)}, ops: []change.Operation{&rules.EndFreeze{Freeze: "close"}}, left: "The freeze close has ended and stays so"},
		"an expectation":      {ops: []change.Operation{expect("nobody", true)}, steps: 1},
		"an expectation changed twice": {first: []change.Operation{expect("nobody", true)}, ops: []change.Operation{expect("nobody", false)}, since: []change.Operation{expect("ines.halloran", false)}, steps: 1,
			kept: func(s *access.Snapshot) bool {
				return record.Expectations(s)[0].Blocking && record.Expectations(s)[0].Of.User != 0
			}},
		"the name of the organisation": {ops: []change.Operation{&rules.SetOrganisation{Name: "Port", TimeZone: "Europe/Rome"}}, since: []change.Operation{&rules.SetOrganisation{Name: "Port", TimeZone: "Europe/Paris"}},
			steps: 1, left: "Time zone of the organisation was changed again since.", kept: func(s *access.Snapshot) bool {
				return s.Organisation().TimeZone == "Europe/Paris" && s.Organisation().Name == "Larkhaven"
			}},
		"a default rule": {ops: []change.Operation{&rules.AddDefault{Key: "all", Everybody: true, Roles: []change.RoleRef{"berths/reader"}}}, steps: 1},
	} {
		port := laws.Port(t, x.first...)
		d := laws.DraftOf(port, x.ops...)
		if len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		changes := d.Changes()
		head := d.Seal(2, 2)
		if x.since != nil {
			head = laws.DraftOf(head, x.since...).Seal(3, 3)
		}
		out := undo.Of(changes, head, 4)
		if len(out.Steps) != x.steps {
			t.Errorf("%s: %d steps, want %d", name, len(out.Steps), x.steps)
		}
		back, err := whatIs(head, out)
		if err != nil {
			t.Errorf("%s: %v", name, err)
		} else if x.kept != nil && !x.kept(&back.Snapshot) {
			t.Errorf("%s: something else came back", name)
		}
		switch {
		case x.left == "" && len(out.Left) > 0, x.left != "" && (len(out.Left) != 1 || !strings.HasPrefix(out.Left[0].Why, x.left)):
			t.Errorf("%s leaves %+v", name, out.Left)
		}
	}
}
