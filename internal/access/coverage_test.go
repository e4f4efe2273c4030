package access

import (
	"slices"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// A cell is reached by exactly the roles whose holders, given nothing else, may
// do it; and everybody has it exactly where nobody signed in, or a user with
// nothing, has.
func TestCoverageIsWhatHoldersOfEachRoleMayDo(t *testing.T) {
	cells, reached := 0, 0
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		at := calendar.At(c.day0)
		add := &AddUser{Personal: Personal{UserName: "tried"}}
		tried := draftOf(s, add)
		if len(tried.Faults) > 0 {
			t.Fatal(tried.Faults)
		}
		nothing, _ := tried.FindUser("tried")
		for a := range s.Applications() {
			if a.ID == AbleRoster {
				continue
			}
			cover := s.Coverage(a.ID, at, nil)
			targets := []Target{}
			for _, row := range cover.Rows {
				for _, x := range a.Actions {
					targets = append(targets, Target{x.Key, row.Resource.Path})
				}
			}
			everybody, anybody := tried.Cells(nothing, a.ID, at, targets), s.Cells(0, a.ID, at, targets)
			plain := func(cell Cell) bool { return cell.Chain != nil && !cell.Own && !cell.Schedule }
			for r := range s.Roles() {
				if r.Retired {
					continue
				}
				var own []*Permission // of the role itself, not of what it includes
				for _, p := range s.RolePermissions(r.ID) {
					if p.Application == a.ID {
						own = append(own, p)
					}
				}
				for i, target := range targets {
					cell := cover.Rows[i/len(a.Actions)].Cells[i%len(a.Actions)]
					want := slices.ContainsFunc(own, func(p *Permission) bool {
						return p.gives(target.Action) && patterns.Covers(p.Pattern, target.Path) && !s.fenced(s.applications.At(int(a.ID)), p.Pattern, target.Action, target.Path)
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
				want := NotEverybody
				switch {
				case plain(anybody[i]):
					want = Anybody
				case plain(everybody[i]):
					want = EveryUser
				}
				got := cover.Rows[i/len(a.Actions)].Cells[i%len(a.Actions)].Everybody
				// Scoped gifts to everybody are theirs in part only.
				if got != want && !(got == NotEverybody && s.someTerms()) {
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
func (s *Snapshot) someTerms() bool {
	for _, g := range []GroupID{PublicGroup, AllUsersGroup} {
		if slices.ContainsFunc(s.groups.At(int(g)).given, func(l link) bool { return !l.plain() }) {
			return true
		}
	}
	for _, f := range s.Defaults() {
		if !f.Ended {
			return true // the tried user is given by default
		}
	}
	for _, g := range s.ruled {
		if s.Group(g).Filter != "" {
			return true
		}
	}
	return false
}

// What patterns cover, found in the order of the tree, is what covering says.
func TestPatternCoversIsCovering(t *testing.T) {
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for a := range s.Applications() {
			for range 30 {
				pattern := c.pattern()
				got, _ := s.PatternCovers(a.ID, pattern)
				var want []string
				s.activeResources(s.applications.At(int(a.ID)), func(r *Resource) {
					if patterns.Covers(pattern, r.Path) {
						want = append(want, r.Path)
					}
				})
				slices.Sort(want)
				slices.Sort(got)
				if !slices.Equal(got, want) {
					t.Fatalf("%s covers %v, want %v", pattern, got, want)
				}
			}
		}
	})
}
