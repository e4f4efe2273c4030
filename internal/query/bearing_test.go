package query_test

import (
	"reflect"
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/roles"
	"ableroster/internal/query"
)

// Users who hold alike what bears on a change gain and lose the same by it, though they hold
// other things; and somebody of whom nothing bears on it gains and loses nothing.
func TestWhoHoldsAlikeWhatBearsGainsAndLosesTheSame(t *testing.T) {
	type gains struct{ gained, lost []query.Entitlement }
	restricted, shared, gained := 0, 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		var keys []string
		for r := range s.Roles() {
			keys = append(keys, s.RoleKey(r.ID))
		}
		// Groups in groups, and roles given to them, as dense as they may be.
		turn := func() change.Operation {
			switch c.IntN(4) {
			case 0:
				return &roles.Grant{Role: change.RoleRef(laws.Pick(c, keys...)), Group: c.Group(), Window: c.Window()}
			case 1:
				return &roles.AddMember{Group: c.Group(), Member: c.Group()}
			case 2:
				return &roles.RemoveMember{Group: c.Group(), User: c.User()}
			}
			return &roles.AddMember{Group: c.Group(), User: c.User(), Window: c.Window()}
		}
		made := func(op change.Operation) (*change.Draft, bool) {
			d := change.NewDraft(s)
			d.Apply(0, op, s.At)
			d.Finish()
			return d, len(d.Faults) == 0
		}
		for range 60 {
			if d, ok := made(turn()); ok {
				s = d.Seal(d.Revision, s.At+1)
			}
		}
		for i := range 300 {
			d, ok := made(turn())
			if i%2 == 0 {
				d, ok = c.Change(s, 2)
			}
			if !ok {
				continue
			}
			changes := slices.DeleteFunc(d.Changes(), func(x access.RowChange) bool { return x.Before == nil && x.After == nil })
			b := query.BearingOn(s, &d.Snapshot, changes)
			if b == nil || len(changes) == 0 {
				continue
			}
			restricted++
			from := calendar.Instant(0)
			classes, whole := map[string]gains{}, map[string]string{}
			users := []fact.UserID{0}
			for u := range d.Users() {
				users = append(users, u.ID)
			}
			for _, id := range users {
				key := string(query.AppendChange(s, &d.Snapshot, b, nil, id, from))
				all := string(query.AppendHolding(&d.Snapshot, query.AppendHolding(s, nil, id, from), id, from))
				g, l := query.Difference(s, &d.Snapshot, id, from)
				if on, off := query.DifferenceOn(s, &d.Snapshot, b, id, from); !reflect.DeepEqual([2][]query.Entitlement{g, l}, [2][]query.Entitlement{on, off}) {
					t.Fatalf("by %v: %v gains %v and loses %v, and of what bears on it %v and %v", changes, id, g, l, on, off)
				}
				gained += len(g) + len(l)
				if known, ok := classes[key]; ok {
					if whole[key] != all {
						shared++
					}
					if !reflect.DeepEqual(known, gains{g, l}) {
						t.Fatalf("by %v: %v gains %v and loses %v, and others of the class %v", changes, id, g, l, known)
					}
				} else {
					classes[key], whole[key] = gains{g, l}, all
				}
			}
		}
	})
	if restricted < 100 || shared < 300 || gained < 100 {
		t.Errorf("only %d changes, %d users who hold other things, and %d gains and losses were met", restricted, shared, gained)
	}
}

// Whether somebody holds anything in an application is the same whoever was asked about before
// them: users who hold alike what bears on it are one class.
func TestWhoHoldsAnythingIsSaidOfEach(t *testing.T) {
	asked, held := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 20 {
			if d, ok := c.Change(s, 8); ok {
				s = d.Seal(d.Revision, s.At+1)
			}
		}
		for app := range s.Applications() {
			all := query.Anything{S: s, App: app.ID, From: s.At}
			for u := range s.Users() {
				is := all.Held(u.ID)
				if holdsIn(s, u.ID, app.ID, s.At) != is {
					t.Fatalf("%s: whether %s holds anything is said to be %v after others were asked about", app.Key, u.UserName, is)
				}
				if asked++; is {
					held++
				}
			}
		}
	})
	if asked < 1000 || held < 100 || held == asked {
		t.Errorf("of %d users %d hold something", asked, held)
	}
}

// Who held something in an application and holds nothing any more is the same whoever was asked about
// before them, whatever changed.
func TestWhoIsBereftIsSaidOfEach(t *testing.T) {
	bereft, groups := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for i := range 120 {
			var d *change.Draft
			ok := false
			if i%2 == 0 {
				d, ok = c.Change(s, 3)
			} else {
				var given []*fact.Assignment
				for a := range s.AllAssignments() {
					if a.Assignee.Group != 0 {
						given = append(given, a)
					}
				}
				if len(given) == 0 {
					continue
				}
				d = change.NewDraft(s)
				d.Apply(0, &roles.Revoke{Assignment: change.AssignmentRef(laws.Pick(c, given...).ID.String())}, s.At)
				d.Finish()
				ok = len(d.Faults) == 0
				groups++
			}
			if !ok {
				continue
			}
			for app := range s.Applications() {
				all := query.Bereft{Before: s, After: &d.Snapshot, Changes: d.Changes(), App: app.ID, From: s.At}
				for u := range d.Users() {
					had := holdsIn(s, u.ID, app.ID, s.At)
					want := had && !holdsIn(&d.Snapshot, u.ID, app.ID, s.At)
					if want {
						bereft++
					}
					if held, lost := all.Is(u.ID); lost != want || held != had {
						t.Fatalf("%s: %s is said to have held something: %v, and lost all: %v, after others were asked about", app.Key, u.UserName, held, lost)
					}
				}
			}
			if i%2 == 0 {
				s = d.Seal(d.Revision, s.At+1)
			}
		}
	})
	if bereft < 100 || groups < 100 {
		t.Errorf("%d lost all, %d changes of groups alone: too few to prove anything", bereft, groups)
	}
}

// holdsIn says whether a user holds anything in an application from an instant on, by all they hold.
func holdsIn(s *access.Snapshot, id fact.UserID, app fact.ApplicationID, from calendar.Instant) bool {
	return slices.ContainsFunc(query.Entitlements(s, id), func(e query.Entitlement) bool {
		return e.Application == app && len(e.When.Within(calendar.Window{From: from})) > 0
	})
}
