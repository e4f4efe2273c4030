package access

import "slices"

// RoleSince are the permissions that a role gives by something newer than a revision: by
// permissions that it, or a role it includes, was given after it, and by all those of
// roles that were included after it.
func (s *Snapshot) RoleSince(id RoleID, revision int64) []*Permission {
	now := s.RoleClosure(id)
	var then []RoleID // what of it was included already
	for todo := []RoleID{id}; len(todo) > 0; todo = todo[1:] {
		if slices.Contains(then, todo[0]) || !slices.Contains(now, todo[0]) {
			continue
		}
		then = append(then, todo[0])
		for _, in := range s.roles.At(int(todo[0])).includes {
			if f := s.inclusions.At(int(in)).fact; f.Opened <= revision {
				todo = append(todo, f.Included)
			}
		}
	}
	var out []*Permission
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
func (s *Snapshot) PermissionWords(p *Permission) string {
	return words(p.Actions) + " " + p.Pattern + " in " + s.Application(p.Application).Label + ownWords(p.Own)
}
