package access

import (
	"cmp"
	"slices"

	"ableroster/internal/calendar"
)

// Holder is a user (0: nobody signed in) who can do something, and how.
type Holder struct {
	User UserID
	Cell
}

// Holders are all who may do an action on a path of an application at an
// instant, on their own or at some times of the week too, in order of id.
// Nobody signed in stands as user 0.
func (s *Snapshot) Holders(app ApplicationID, action, path string, at calendar.Instant) []Holder {
	rec := s.applications.At(int(app))
	place, declared := rec.fact.actionPlace(action)
	if _, known := s.known(rec, path); !declared || !known {
		return nil
	}
	candidates := map[UserID]bool{}
	for i := range s.roles.Len() {
		role := s.roles.At(i)
		if role == nil || role.fact == nil {
			continue
		}
		for k := range role.rules {
			if r := &role.rules[k]; r.app == app && r.actions&(1<<place) != 0 && r.covers(path) {
				s.holdersBelow(RoleID(i), func(id UserID) { candidates[id] = true })
				break
			}
		}
	}
	target := []Target{{action, path}}
	var out []Holder
	for id := range candidates {
		if c := s.Cells(id, app, at, target)[0]; c.Chain != nil {
			out = append(out, Holder{id, c})
		}
	}
	slices.SortFunc(out, func(a, b Holder) int { return cmp.Compare(a.User, b.User) })
	return out
}

// WayToRole is the shortest way by which a user holds a role at an instant, or
// nil.
func (s *Snapshot) WayToRole(id UserID, role RoleID, at calendar.Instant) *Chain {
	chains, _ := s.chainsTo(id, at, role)
	sortChains(chains)
	for i := range chains {
		if chains[i].Fails == "" {
			return &chains[i]
		}
	}
	return nil
}

// RoleHolding are the users who hold a role at an instant, each with the
// shortest way to it, in order of id. Terms of the assignment are in the chain.
func (s *Snapshot) RoleHolding(role RoleID, at calendar.Instant) []Holder {
	candidates := map[UserID]bool{}
	s.holdersBelow(role, func(id UserID) { candidates[id] = true })
	var out []Holder
	for id := range candidates {
		if id != 0 && !s.Effective(id, at) {
			continue
		}
		if c := s.WayToRole(id, role, at); c != nil {
			f := s.Assignment(c.Assignment)
			out = append(out, Holder{id, Cell{Chain: c, Schedule: f.Schedule != nil, Until: c.Window.Until}})
		}
	}
	slices.SortFunc(out, func(a, b Holder) int { return cmp.Compare(a.User, b.User) })
	return out
}

// WayThrough is the shortest way by which a user holds a role through one
// assignment at an instant, or nil.
func (s *Snapshot) WayThrough(id UserID, role RoleID, through AssignmentID, at calendar.Instant) *Chain {
	chains, _ := s.chainsTo(id, at, role)
	sortChains(chains)
	for i := range chains {
		if c := &chains[i]; c.Assignment == through && len(c.Roles) == 1 {
			return c
		}
	}
	return nil
}
