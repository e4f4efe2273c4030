package access

import "ableroster/internal/fact"

// HolderOf is one assignment through which a role is held, by the role itself
// or by a role that includes it.
type HolderOf struct {
	Assignment *fact.Assignment
	Through    []fact.RoleID // from the assigned role down to the one asked about
}

// RoleHolders are the assignments of a role and of all that include it.
func (s *Snapshot) RoleHolders(id fact.RoleID) []HolderOf {
	var out []HolderOf
	var walk func(fact.RoleID, []fact.RoleID)
	walk = func(r fact.RoleID, below []fact.RoleID) {
		rec := s.RoleTable.At(int(r))
		if rec == nil || rec.Fact == nil || rec.Fact.Retired {
			return
		}
		chain := append([]fact.RoleID{r}, below...)
		for i := range rec.Holders.Len() {
			out = append(out, HolderOf{s.Assignment(rec.Holders.Get(i)), chain})
		}
		for _, in := range rec.IncludedBy {
			walk(s.InclusionTable.At(int(in)).Fact.Role, chain)
		}
	}
	walk(id, nil)
	return out
}

// HoldersBelow calls yield for every user who holds a role through any
// assignment, whatever the windows.
func (s *Snapshot) HoldersBelow(id fact.RoleID, yield func(fact.UserID)) {
	seenGroup, seenRole := map[fact.GroupID]bool{}, map[fact.RoleID]bool{}
	todo := []fact.RoleID{id}
	for len(todo) > 0 {
		r := todo[0]
		todo = todo[1:]
		rec := s.RoleTable.At(int(r))
		if rec == nil || seenRole[r] {
			continue
		}
		seenRole[r] = true
		for i := range rec.Holders.Len() {
			to := s.AssignmentTable.At(int(rec.Holders.Get(i))).To.Member()
			if to.User != 0 {
				yield(to.User)
				continue
			}
			if to.Group == fact.PublicGroup {
				yield(0)
			}
			s.EachMember(to.Group, seenGroup, yield)
		}
		for _, in := range rec.IncludedBy {
			todo = append(todo, s.InclusionTable.At(int(in)).Fact.Role)
		}
	}
}
