package held

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// GroupIntervals is when each group counts for a user, over all time.
func GroupIntervals(s *access.Snapshot, id fact.UserID) map[fact.GroupID]calendar.Intervals {
	return groupIntervalsBut(s, id, nil)
}

// groupIntervalsBut leaves out the memberships that but names.
func groupIntervalsBut(s *access.Snapshot, id fact.UserID, but func(elsewhere bool, opened int64) bool) map[fact.GroupID]calendar.Intervals {
	out := map[fact.GroupID]calendar.Intervals{fact.PublicGroup: calendar.Always()}
	if id == 0 {
		return out
	}
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil {
		return out
	}
	if u.Person {
		out[fact.AllUsersGroup] = calendar.Always()
	}
	var todo []fact.GroupID
	climb := func(from calendar.Intervals, via []access.Link) {
		for _, j := range via {
			if but != nil && !j.ByRule() {
				if m := s.MembershipTable.At(int(j.ID)); but(m.Rule != 0, m.Opened) {
					continue
				}
			}
			add := from
			if !j.Plain() {
				add = from.Within(s.WindowOf(j))
			}
			g := j.Group()
			if len(add.Minus(out[g])) > 0 {
				out[g] = out[g].Union(add)
				todo = append(todo, g)
			}
		}
	}
	climb(calendar.Always(), u.Groups())
	for len(todo) > 0 {
		g := todo[0]
		todo = todo[1:]
		climb(out[g], s.GroupTable.At(int(g)).Parents)
	}
	return out
}

// MembersNow are the users in a group at an instant, at any depth, through
// memberships inside their windows.
func MembersNow(s *access.Snapshot, id fact.GroupID, at calendar.Instant) map[fact.UserID]bool {
	out := map[fact.UserID]bool{}
	if id == fact.PublicGroup || id == fact.AllUsersGroup {
		s.EachMember(id, nil, func(u fact.UserID) { out[u] = s.Effective(u, at) })
		return out
	}
	seen := map[fact.GroupID]bool{}
	var walk func(fact.GroupID)
	walk = func(g fact.GroupID) {
		if seen[g] {
			return
		}
		seen[g] = true
		s.EachChosen(g, func(u fact.UserID) { out[u] = true })
		for _, f := range s.Members(g) {
			switch {
			case !f.Window.Holds(at):
			case f.Member.User != 0:
				out[f.Member.User] = true
			default:
				walk(f.Member.Group)
			}
		}
	}
	walk(id)
	return out
}
