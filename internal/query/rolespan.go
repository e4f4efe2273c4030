package query

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
)

// RoleSpan is a time in which a user held a role through one assignment, to them
// or to a group they were in.
type RoleSpan struct {
	calendar.Window
	Assignment fact.AssignmentID
	Role       fact.RoleID
	Group      fact.GroupID // that it was made to, or 0
	Origin     fact.Origin
	Rule       fact.DefaultID // the default rule that gave it or the place in the group, or 0
	Opened     int64
}

// RoleSpans are which roles a user held when, over eras in order of time: by the role,
// then by time. What everybody has is left out.
func RoleSpans(eras []Era, id fact.UserID) []RoleSpan {
	var out []RoleSpan
	last := map[fact.AssignmentID]int{} // the place of each assignment's newest span
	for _, era := range eras {
		effective := era.WhenEffective(id).Within(era.Window)
		if len(effective) == 0 {
			continue
		}
		add := func(group fact.GroupID, rule fact.DefaultID, from calendar.Intervals, all []access.Link) {
			for _, g := range all {
				a := era.Assignment(g.Assignment())
				x := RoleSpan{Assignment: a.ID, Role: a.Role, Group: group, Origin: a.Origin, Rule: max(a.Rule, rule), Opened: a.Opened}
				for _, w := range from.Within(a.Window).Intersect(effective) {
					if i, ok := last[a.ID]; ok && out[i].Until == w.From && w.From != 0 && out[i].Rule == x.Rule {
						out[i].Until = w.Until
						continue
					}
					x.Window = w
					last[a.ID] = len(out)
					out = append(out, x)
				}
			}
		}
		add(0, 0, calendar.Always(), era.GivenTo(fact.Assignee{User: id}))
		for g, when := range held.GroupIntervals(era.Snapshot, id) {
			if rec := era.GroupTable.At(int(g)); rec != nil && held.OwnGroups(g) {
				add(g, DefaultInto(era.Snapshot, id, g), when, rec.Given)
			}
		}
	}
	slices.SortFunc(out, func(a, b RoleSpan) int {
		return cmp.Or(cmp.Compare(a.Role, b.Role), cmp.Compare(a.From, b.From), cmp.Compare(a.Assignment, b.Assignment))
	})
	return out
}

// Way is how somebody comes to have something in an application.
type Way string

// The ways, the plainest first: somebody counts by the first that is theirs.
const (
	WayDirect    Way = "direct"
	WayRequest   Way = "request"
	WayShare     Way = "share"
	WayDefault   Way = "default"
	WayGroup     Way = "group"
	WayEverybody Way = "everybody"
)

// Ways are all of them in their order.
var Ways = []Way{WayDirect, WayRequest, WayShare, WayDefault, WayGroup, WayEverybody}

// PeopleWith counts who holds anything in an application at an instant, each once
// by the plainest way, of those counted.
func PeopleWith(s *access.Snapshot, app fact.ApplicationID, at calendar.Instant, counted func(fact.UserID) bool) map[Way]int {
	gives := map[fact.RoleID]bool{}
	for r := range s.Roles() {
		gives[r.ID] = RoleReaches(s, r.ID, app)
	}
	out := map[Way]int{}
	for u := range s.Users() {
		if !s.Effective(u.ID, at) || !counted(u.ID) {
			continue
		}
		best := len(Ways)
		EachAssignment(s, u.ID, at, func(a *fact.Assignment) {
			if gives[a.Role] {
				best = min(best, slices.Index(Ways, wayOf(s, u.ID, a)))
			}
		})
		if best < len(Ways) {
			out[Ways[best]]++
		}
	}
	return out
}

func wayOf(s *access.Snapshot, id fact.UserID, a *fact.Assignment) Way {
	switch {
	case !held.OwnGroups(a.Assignee.Group) && a.Assignee.Group != 0:
		return WayEverybody
	case a.Rule != 0 || a.Assignee.Group != 0 && DefaultInto(s, id, a.Assignee.Group) != 0:
		return WayDefault
	case a.Assignee.Group != 0:
		return WayGroup
	case a.Origin == fact.ByRequest:
		return WayRequest
	case a.Origin == fact.ByShare:
		return WayShare
	}
	return WayDirect
}
