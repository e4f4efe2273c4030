package access

import "slices"

// groupsAt appends the groups whose assignments count for a user at an
// instant: those reached upward through memberships inside their windows,
// all-users for persons, and public. Nobody (user 0) has public alone.
func (s *Snapshot) groupsAt(out []GroupID, id UserID, at Instant) []GroupID {
	out = append(out, PublicGroup)
	if id == 0 {
		return out
	}
	u := s.users.At(int(id))
	if u == nil || u.fact == nil {
		return out
	}
	if u.fact.UserKind == Person {
		out = append(out, AllUsersGroup)
	}
	done := len(out)
	out = s.climb(out, u.groups, at)
	for ; done < len(out); done++ {
		out = s.climb(out, s.groups.At(int(out[done])).parents, at)
	}
	return out
}

func (s *Snapshot) climb(out []GroupID, via []MembershipID, at Instant) []GroupID {
	for _, m := range via {
		f := s.memberships.At(int(m)).fact
		if f.Window.Holds(at) && !slices.Contains(out, f.Group) {
			out = append(out, f.Group)
		}
	}
	return out
}

// groupIntervals is when each group counts for a user, over all time.
func (s *Snapshot) groupIntervals(id UserID) map[GroupID]Intervals {
	out := map[GroupID]Intervals{PublicGroup: Always()}
	if id == 0 {
		return out
	}
	u := s.users.At(int(id))
	if u == nil || u.fact == nil {
		return out
	}
	if u.fact.UserKind == Person {
		out[AllUsersGroup] = Always()
	}
	var todo []GroupID
	climb := func(from Intervals, via []MembershipID) {
		for _, m := range via {
			f := s.memberships.At(int(m)).fact
			add := from.within(f.Window)
			if len(add.minus(out[f.Group])) > 0 {
				out[f.Group] = out[f.Group].union(add)
				todo = append(todo, f.Group)
			}
		}
	}
	climb(Always(), u.groups)
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
	for i := range g.members.Len() {
		f := s.memberships.At(int(g.members.Get(i))).fact
		if f.Member.User != 0 {
			yield(f.Member.User)
		} else {
			s.members(f.Member.Group, seen, yield)
		}
	}
}

// MembersNow are the users in a group at an instant, at any depth, through
// memberships inside their windows.
func (s *Snapshot) MembersNow(id GroupID, at Instant) map[UserID]bool {
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
