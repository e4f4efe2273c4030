package query

import (
	"iter"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// SharesOf are the assignments by which a role is shared, each within one resource, in no order.
func SharesOf(s *access.Snapshot, role fact.RoleID) iter.Seq[*fact.Assignment] {
	shared := uint8(slices.Index(fact.Origins, fact.ByShare))
	return func(yield func(*fact.Assignment) bool) {
		holders := &s.RoleTable.At(int(role)).Holders
		for i := range holders.Len() {
			id := holders.Get(i)
			if r := s.AssignmentTable.At(int(id)); r.Origin == shared && !yield(s.Assignment(id)) {
				return
			}
		}
	}
}

// SharesIn are those of all roles of an application, in order of role.
func SharesIn(s *access.Snapshot, app fact.ApplicationID) iter.Seq[*fact.Assignment] {
	return func(yield func(*fact.Assignment) bool) {
		for r := range s.Roles() {
			if r.Application != app {
				continue
			}
			for f := range SharesOf(s, r.ID) {
				if !yield(f) {
					return
				}
			}
		}
	}
}
