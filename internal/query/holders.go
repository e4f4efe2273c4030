package query

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Holder is a user (0: nobody signed in) who can do something, and how.
type Holder struct {
	User fact.UserID
	Cell
}

// Holders are all who may do an action on a path of an application at an
// instant, on their own or at some times of the week too, in order of id.
// Nobody signed in stands as user 0.
func Holders(s *access.Snapshot, app fact.ApplicationID, action, path string, at calendar.Instant) []Holder {
	rec := s.ApplicationTable.At(int(app))
	place, declared := access.ActionPlace(rec.Fact, action)
	if _, known := s.Known(rec, path); !declared || !known {
		return nil
	}
	candidates := map[fact.UserID]bool{}
	for i := range s.RoleTable.Len() {
		role := s.RoleTable.At(i)
		if role == nil || role.Fact == nil {
			continue
		}
		for k := range role.Rules {
			if r := &role.Rules[k]; r.App == app && r.Actions&(1<<place) != 0 && r.Covers(path) {
				s.HoldersBelow(fact.RoleID(i), func(id fact.UserID) { candidates[id] = true })
				break
			}
		}
	}
	target := []Target{{action, path}}
	var out []Holder
	for id := range candidates {
		if c := Cells(s, id, app, at, target)[0]; c.Chain != nil {
			out = append(out, Holder{id, c})
		}
	}
	slices.SortFunc(out, func(a, b Holder) int { return cmp.Compare(a.User, b.User) })
	return out
}

// WayToRole is the shortest way by which a user holds a role at an instant, or
// nil.
func WayToRole(s *access.Snapshot, id fact.UserID, role fact.RoleID, at calendar.Instant) *Chain {
	chains, _ := chainsTo(s, id, at, role)
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
func RoleHolding(s *access.Snapshot, role fact.RoleID, at calendar.Instant) []Holder {
	candidates := map[fact.UserID]bool{}
	s.HoldersBelow(role, func(id fact.UserID) { candidates[id] = true })
	var out []Holder
	for id := range candidates {
		if id != 0 && !s.Effective(id, at) {
			continue
		}
		if c := WayToRole(s, id, role, at); c != nil {
			f := s.Assignment(c.Assignment)
			out = append(out, Holder{id, Cell{Chain: c, Schedule: f.Schedule != nil, Until: c.Window.Until}})
		}
	}
	slices.SortFunc(out, func(a, b Holder) int { return cmp.Compare(a.User, b.User) })
	return out
}

// WayThrough is the shortest way by which a user holds a role through one
// assignment at an instant, or nil.
func WayThrough(s *access.Snapshot, id fact.UserID, role fact.RoleID, through fact.AssignmentID, at calendar.Instant) *Chain {
	chains, _ := chainsTo(s, id, at, role)
	sortChains(chains)
	for i := range chains {
		if c := &chains[i]; c.Assignment == through && len(c.Roles) == 1 {
			return c
		}
	}
	return nil
}
