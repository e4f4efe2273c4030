package access

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
			out = append(out, HolderOf{s.Assignment(rec.holders.Get(i)), chain})
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
			to := s.assignments.At(int(rec.holders.Get(i))).to.member()
			if to.User != 0 {
				yield(to.User)
				continue
			}
			if to.Group == PublicGroup {
				yield(0)
			}
			s.members(to.Group, seenGroup, yield)
		}
		for _, in := range rec.includedBy {
			todo = append(todo, s.inclusions.At(int(in)).fact.Role)
		}
	}
}
