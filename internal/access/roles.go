package access

// roleIntervals is when a user holds each role, by assignment to any principal
// and by inclusion, clipped to when the user counts.
func (s *Snapshot) roleIntervals(id UserID) map[RoleID]Intervals {
	return s.rolesThrough(id, func(GroupID) bool { return true })
}

// ownRoleIntervals is the same without what comes of being anybody: roles of
// all-users and public.
func (s *Snapshot) ownRoleIntervals(id UserID) map[RoleID]Intervals {
	return s.rolesThrough(id, func(g GroupID) bool { return g != PublicGroup && g != AllUsersGroup })
}

// anybodysRoles are the roles held by all-users or public.
func (s *Snapshot) anybodysRoles() map[RoleID]bool {
	out := map[RoleID]bool{}
	for _, g := range []GroupID{PublicGroup, AllUsersGroup} {
		for _, a := range s.groups.At(int(g)).assignments {
			for _, r := range s.roles.At(int(s.Assignment(a).Role)).closure {
				out[r] = true
			}
		}
	}
	return out
}

func (s *Snapshot) rolesThrough(id UserID, group func(GroupID) bool) map[RoleID]Intervals {
	out := map[RoleID]Intervals{}
	counts := s.effective(id)
	if len(counts) == 0 {
		return out
	}
	hold := func(from Intervals, given []AssignmentID) {
		for _, a := range given {
			f := s.assignments.At(int(a)).fact
			when := from.within(f.Window).intersect(counts)
			if len(when) == 0 {
				continue
			}
			for _, r := range s.roles.At(int(f.Role)).closure {
				out[r] = out[r].union(when)
			}
		}
	}
	if u := s.users.At(int(id)); id != 0 && u != nil {
		hold(Always(), u.assignments)
	}
	for g, when := range s.groupIntervals(id) {
		if r := s.groups.At(int(g)); r != nil && group(g) {
			hold(when, r.assignments)
		}
	}
	return out
}

// HolderOf is one assignment through which a role is held, by the role itself
// or by a role that includes it.
type HolderOf struct {
	Assignment *Assignment
	Through    []RoleID // from the assigned role down to the one asked about
}

// RoleHolders are the assignments of a role and of all that include it.
func (s *Snapshot) RoleHolders(id RoleID) []HolderOf {
	var out []HolderOf
	var walk func(RoleID, []RoleID)
	walk = func(r RoleID, below []RoleID) {
		rec := s.roles.At(int(r))
		if rec == nil || rec.fact == nil || rec.fact.Retired {
			return
		}
		chain := append([]RoleID{r}, below...)
		for i := range rec.holders.Len() {
			out = append(out, HolderOf{s.assignments.At(int(rec.holders.Get(i))).fact, chain})
		}
		for _, in := range rec.includedBy {
			walk(s.inclusions.At(int(in)).fact.Role, chain)
		}
	}
	walk(id, nil)
	return out
}

// holdersBelow calls yield for every user who holds a role through any
// assignment, whatever the windows.
func (s *Snapshot) holdersBelow(id RoleID, yield func(UserID)) {
	seenGroup, seenRole := map[GroupID]bool{}, map[RoleID]bool{}
	todo := []RoleID{id}
	for len(todo) > 0 {
		r := todo[0]
		todo = todo[1:]
		rec := s.roles.At(int(r))
		if rec == nil || seenRole[r] {
			continue
		}
		seenRole[r] = true
		for i := range rec.holders.Len() {
			f := s.assignments.At(int(rec.holders.Get(i))).fact
			if f.Assignee.User != 0 {
				yield(f.Assignee.User)
				continue
			}
			if f.Assignee.Group == PublicGroup {
				yield(0)
			}
			s.members(f.Assignee.Group, seenGroup, yield)
		}
		for _, in := range rec.includedBy {
			todo = append(todo, s.inclusions.At(int(in)).fact.Role)
		}
	}
}
