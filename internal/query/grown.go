package query

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// RoleSince are the permissions that a role gives by something newer than a revision: by
// permissions that it, or a role it includes, was given after it, and by all those of
// roles that were included after it.
func RoleSince(s *access.Snapshot, id fact.RoleID, revision int64) []*fact.Permission {
	now := s.RoleClosure(id)
	var then []fact.RoleID // what of it was included already
	for todo := []fact.RoleID{id}; len(todo) > 0; todo = todo[1:] {
		if slices.Contains(then, todo[0]) || !slices.Contains(now, todo[0]) {
			continue
		}
		then = append(then, todo[0])
		for _, in := range s.RoleTable.At(int(todo[0])).Includes {
			if f := s.InclusionTable.At(int(in)).Fact; f.Opened <= revision {
				todo = append(todo, f.Included)
			}
		}
	}
	var out []*fact.Permission
	for _, r := range now {
		for _, p := range s.RolePermissions(r) {
			if p.Opened > revision || !slices.Contains(then, r) {
				out = append(out, p)
			}
		}
	}
	return out
}

// PermissionWords says what a permission lets its holder do, and where.
func PermissionWords(s *access.Snapshot, p *fact.Permission) string {
	return fact.ActionWords(p.Actions) + " " + p.Pattern + " in " + s.Application(p.Application).Label + fact.OwnWords(p.Own)
}
