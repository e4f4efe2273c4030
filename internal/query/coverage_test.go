package query_test

import (
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// A cell is reached by exactly the roles whose holders, given nothing else, may
// do it; and everybody has it exactly where nobody signed in, or a user with
// nothing, has.
func TestCoverageIsWhatHoldersOfEachRoleMayDo(t *testing.T) {
	cells, reached := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		at := calendar.At(c.Day0)
		add := &people.AddUser{Personal: fact.Personal{UserName: "tried"}}
		tried := laws.DraftOf(s, add)
		if len(tried.Faults) > 0 {
			t.Fatal(tried.Faults)
		}
		nothing, _ := tried.FindUser("tried")
		for a := range s.Applications() {
			if a.ID == fact.AbleRoster {
				continue
			}
			cover := query.CoverageOf(s, a.ID, at, nil)
			targets := []query.Target{}
			for _, row := range cover.Rows {
				for _, x := range a.Actions {
					targets = append(targets, query.Target{Action: x.Key, Path: row.Resource.Path})
				}
			}
			everybody, anybody := query.Cells(&tried.Snapshot, nothing, a.ID, at, targets), query.Cells(s, 0, a.ID, at, targets)
			plain := func(cell query.Cell) bool { return cell.Chain != nil && !cell.Own && !cell.Schedule }
			for r := range s.Roles() {
				if r.Retired {
					continue
				}
				var own []*fact.Permission // of the role itself, not of what it includes
				for _, p := range s.RolePermissions(r.ID) {
					if p.Application == a.ID {
						own = append(own, p)
					}
				}
				for i, target := range targets {
					cell := cover.Rows[i/len(a.Actions)].Cells[i%len(a.Actions)]
					want := slices.ContainsFunc(own, func(p *fact.Permission) bool {
						return access.Gives(p, target.Action) && patterns.Covers(p.Pattern, target.Path) && !s.Fenced(s.ApplicationTable.At(int(a.ID)), p.Pattern, target.Action, target.Path)
					})
					if got := slices.Contains(cell.Roles, r.ID); got != want {
						t.Fatalf("%s reaches %v of %s: %v, want %v", s.RoleKey(r.ID), target, a.Key, got, want)
					}
					cells++
					if want {
						reached++
					}
				}
			}
			for i := range targets {
				want := query.NotEverybody
				switch {
				case plain(anybody[i]):
					want = query.Anybody
				case plain(everybody[i]):
					want = query.EveryUser
				}
				got := cover.Rows[i/len(a.Actions)].Cells[i%len(a.Actions)].Everybody
				// Scoped gifts to everybody are theirs in part only.
				if got != want && !(got == query.NotEverybody && someTerms(s)) {
					t.Fatalf("%v of %s is for %q, want %q", targets[i], a.Key, got, want)
				}
			}
		}
	})
	if cells < 10_000 || reached < 1000 {
		t.Errorf("%d cells, %d reached", cells, reached)
	}
}

// someTerms says whether anything is given to everybody on bounds.
func someTerms(s *access.Snapshot) bool {
	for _, g := range []fact.GroupID{fact.PublicGroup, fact.AllUsersGroup} {
		if slices.ContainsFunc(s.GroupTable.At(int(g)).Given, func(l access.Link) bool { return !l.Plain() }) {
			return true
		}
	}
	for _, f := range record.Defaults(s) {
		if !f.Ended {
			return true // the tried user is given by default
		}
	}
	for _, g := range s.Ruled {
		if s.Group(g).Filter != "" {
			return true
		}
	}
	return false
}

// What patterns cover, found in the order of the tree, is what covering says.
func TestPatternCoversIsCovering(t *testing.T) {
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for a := range s.Applications() {
			for range 30 {
				pattern := c.Pattern()
				got, _ := query.PatternCovers(s, a.ID, pattern)
				var want []string
				for _, r := range s.Resources(a.ID) {
					if _, there := s.Known(s.ApplicationTable.At(int(a.ID)), r.Path); !there {
						continue
					}
					if patterns.Covers(pattern, r.Path) {
						want = append(want, r.Path)
					}
				}
				slices.Sort(want)
				slices.Sort(got)
				if !slices.Equal(got, want) {
					t.Fatalf("%s covers %v, want %v", pattern, got, want)
				}
			}
		}
	})
}
