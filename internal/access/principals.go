package access

import (
	"slices"

	"ableroster/internal/calendar"
)

// groupsAt appends the groups whose assignments count for a user at an
// instant: those reached upward through memberships inside their windows,
// all-users for persons, and public. Nobody (user 0) has public alone.
func (s *Snapshot) groupsAt(out []GroupID, id UserID, at calendar.Instant) []GroupID {
	out = append(out, PublicGroup)
	if id == 0 {
		return out
	}
	u := s.users.At(int(id))
	if u == nil || u.fact == nil {
		return out
	}
	if u.person {
		out = append(out, AllUsersGroup)
	}
	var buf [24]reachedGroup
	reached := s.reachUp(buf[:0], u.groups(), holdsNow, at)
	for i := 0; i < len(reached); i++ {
		if reached[i].miss == holdsNow {
			reached = s.reachUp(reached, s.groups.At(int(reached[i].id)).parents, holdsNow, at)
			out = append(out, reached[i].id)
		}
	}
	return out
}

// IsMember says whether a user is in a group at an instant, at any depth: without a look
// at its other members.
func (s *Snapshot) IsMember(id UserID, group GroupID, at calendar.Instant) bool {
	return s.isMember(id, group, at)
}

// isMember says whether a group is reached upward from a user at an instant.
func (s *Snapshot) isMember(id UserID, group GroupID, at calendar.Instant) bool {
	for _, g := range s.groupsAt(nil, id, at) {
		if g == group {
			return true
		}
	}
	return false
}

// groupIntervals is when each group counts for a user, over all time.
func (s *Snapshot) groupIntervals(id UserID) map[GroupID]calendar.Intervals {
	return s.groupIntervalsBut(id, nil)
}

// groupIntervalsBut leaves out the memberships that but names.
func (s *Snapshot) groupIntervalsBut(id UserID, but func(elsewhere bool, opened int64) bool) map[GroupID]calendar.Intervals {
	out := map[GroupID]calendar.Intervals{PublicGroup: calendar.Always()}
	if id == 0 {
		return out
	}
	u := s.users.At(int(id))
	if u == nil || u.fact == nil {
		return out
	}
	if u.person {
		out[AllUsersGroup] = calendar.Always()
	}
	var todo []GroupID
	climb := func(from calendar.Intervals, via []link) {
		for _, j := range via {
			if but != nil && !j.byRule() {
				if m := s.memberships.At(int(j.id)); but(m.rule != 0, m.opened) {
					continue
				}
			}
			add := from
			if !j.plain() {
				add = from.Within(s.windowOf(j))
			}
			g := j.group()
			if len(add.Minus(out[g])) > 0 {
				out[g] = out[g].Union(add)
				todo = append(todo, g)
			}
		}
	}
	climb(calendar.Always(), u.groups())
	for len(todo) > 0 {
		g := todo[0]
		todo = todo[1:]
		climb(out[g], s.groups.At(int(g)).parents)
	}
	return out
}

// members calls yield for every user below a group at any depth, whatever the
// windows, each once. The built-in groups have all persons and all users.
func (s *Snapshot) members(id GroupID, seen map[GroupID]bool, yield func(UserID)) {
	if id == AllUsersGroup || id == PublicGroup {
		for i := range s.users.Len() {
			if u := s.User(UserID(i)); u != nil && (id == PublicGroup || u.UserKind == Person) {
				yield(u.ID)
			}
		}
		return
	}
	if seen[id] {
		return
	}
	seen[id] = true
	g := s.groups.At(int(id))
	if g == nil {
		return
	}
	if g.rule != nil {
		s.chosenBy(id, yield)
	}
	for i := range g.members.Len() {
		m := s.memberships.At(int(g.members.Get(i))).member.member()
		if m.User != 0 {
			yield(m.User)
		} else {
			s.members(m.Group, seen, yield)
		}
	}
}

// MembersNow are the users in a group at an instant, at any depth, through
// memberships inside their windows.
func (s *Snapshot) MembersNow(id GroupID, at calendar.Instant) map[UserID]bool {
	out := map[UserID]bool{}
	if id == PublicGroup || id == AllUsersGroup {
		s.members(id, nil, func(u UserID) { out[u] = s.Effective(u, at) })
		return out
	}
	seen := map[GroupID]bool{}
	var walk func(GroupID)
	walk = func(g GroupID) {
		if seen[g] {
			return
		}
		seen[g] = true
		s.chosenBy(g, func(u UserID) { out[u] = true })
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

// chosenBy calls yield for every user a group's filter chooses.
func (s *Snapshot) chosenBy(id GroupID, yield func(UserID)) {
	if s.groups.At(int(id)).rule == nil {
		return
	}
	for i := range s.users.Len() {
		u := s.users.At(i)
		if u == nil || u.fact == nil {
			continue
		}
		if slices.Contains(u.groups(), chosenFor(id)) {
			yield(u.fact.ID)
		}
	}
}

// ChosenBy are the groups whose filter chooses a user.
func (s *Snapshot) ChosenBy(id UserID) []GroupID {
	var out []GroupID
	for _, j := range s.joinedTo(Member{User: id}) {
		if j.byRule() {
			out = append(out, j.group())
		}
	}
	return out
}
