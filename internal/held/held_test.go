package held_test

import (
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
)

// heldNaively says by loops over the bare facts whether a user holds a role at an instant, and
// is in a group then: by every way up whose windows all hold.
func heldNaively(o *laws.Oracle, s *access.Snapshot, u *fact.User, at calendar.Instant) (roles map[fact.RoleID]bool, in map[fact.GroupID]bool) {
	roles, in = map[fact.RoleID]bool{}, map[fact.GroupID]bool{fact.PublicGroup: true}
	var hold func(fact.RoleID)
	hold = func(id fact.RoleID) {
		if slices.ContainsFunc(o.Roles, func(r *fact.Role) bool { return r.ID == id && r.Retired }) {
			return
		}
		roles[id] = true
		for _, i := range o.Inclusions {
			if i.Role == id {
				hold(i.Included)
			}
		}
	}
	reach := func(by fact.Assignee, windows []calendar.Window) {
		if slices.ContainsFunc(windows, func(w calendar.Window) bool { return !w.Holds(at) }) {
			return
		}
		if by.Group != 0 {
			in[by.Group] = true
		}
		for _, a := range o.Assignments {
			if a.Assignee == by && a.Window.Holds(at) {
				hold(a.Role)
			}
		}
	}
	reach(fact.Assignee{Group: fact.PublicGroup}, nil)
	if u.UserKind == fact.Person {
		reach(fact.Assignee{Group: fact.AllUsersGroup}, nil)
	}
	o.Up(fact.Member{User: u.ID}, nil, reach)
	for _, g := range o.Groups {
		if laws.ChosenNaively(g.Filter, u) {
			o.Up(fact.Member{Group: g.ID}, nil, reach)
		}
	}
	if !s.Effective(u.ID, at) {
		roles = nil
	}
	return roles, in
}

func TestWhatIsHeldOverTimeIsWhatANaiveWalkFinds(t *testing.T) {
	holds, members := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		o := laws.OracleOf(s)
		for range 10 {
			at := c.Instant()
			inside := map[fact.GroupID]map[fact.UserID]bool{}
			for g := range s.Groups() {
				inside[g.ID] = held.MembersNow(s, g.ID, at)
			}
			for u := range s.Users() {
				roles, in := heldNaively(o, s, u, at)
				intervals := held.RoleIntervals(s, u.ID)
				for r := range s.Roles() {
					if got := intervals[r.ID].Holds(at); got != roles[r.ID] || held.HasRole(s, u.ID, r.ID, at) != got {
						t.Fatalf("%s holds %s at %s: %v, naively %v", u.UserName, s.RoleKey(r.ID), at.Time(), got, roles[r.ID])
					} else if got {
						holds++
					}
				}
				groups := held.GroupIntervals(s, u.ID)
				for g := range s.Groups() {
					if got := groups[g.ID].Holds(at); got != in[g.ID] {
						t.Fatalf("%s is in %s at %s: %v, naively %v", u.UserName, g.Key, at.Time(), got, in[g.ID])
					}
					if g.ID != fact.PublicGroup && g.ID != fact.AllUsersGroup && inside[g.ID][u.ID] != in[g.ID] {
						t.Fatalf("%s is among the members of %s at %s: %v, naively %v", u.UserName, g.Key, at.Time(), inside[g.ID][u.ID], in[g.ID])
					} else if in[g.ID] {
						members++
					}
				}
			}
		}
	})
	if holds < 1000 || members < 1000 {
		t.Errorf("only %d roles held and %d memberships were met", holds, members)
	}
}
