package access

import "iter"

// Users are all users in order of id.
func (s *Snapshot) Users() iter.Seq[*User] {
	return func(yield func(*User) bool) {
		for i := range s.users.Len() {
			if u := s.User(UserID(i)); u != nil && !yield(u) {
				return
			}
		}
	}
}

// Groups are all groups in order of id, the built-in ones first.
func (s *Snapshot) Groups() iter.Seq[*Group] {
	return func(yield func(*Group) bool) {
		for i := range s.groups.Len() {
			if g := s.Group(GroupID(i)); g != nil && !yield(g) {
				return
			}
		}
	}
}

// Applications are all applications in order of id.
func (s *Snapshot) Applications() iter.Seq[*Application] {
	return func(yield func(*Application) bool) {
		for i := range s.applications.Len() {
			if a := s.Application(ApplicationID(i)); a != nil && !yield(a) {
				return
			}
		}
	}
}

// Roles are all roles in order of id.
func (s *Snapshot) Roles() iter.Seq[*Role] {
	return func(yield func(*Role) bool) {
		for i := range s.roles.Len() {
			if r := s.Role(RoleID(i)); r != nil && !yield(r) {
				return
			}
		}
	}
}

// Resources are an application's registered resources.
func (s *Snapshot) Resources(id ApplicationID) []*Resource {
	var out []*Resource
	if a := s.applications.At(int(id)); a != nil {
		for _, r := range a.resources {
			out = append(out, s.resources.At(int(r)).fact)
		}
	}
	return out
}

// RoleIncludes are the roles a role includes directly.
func (s *Snapshot) RoleIncludes(id RoleID) []RoleID {
	var out []RoleID
	for _, i := range s.roles.At(int(id)).includes {
		out = append(out, s.inclusions.At(int(i)).fact.Included)
	}
	return out
}

// RoleIncludedBy are the roles that include a role directly.
func (s *Snapshot) RoleIncludedBy(id RoleID) []RoleID {
	var out []RoleID
	for _, i := range s.roles.At(int(id)).includedBy {
		out = append(out, s.inclusions.At(int(i)).fact.Role)
	}
	return out
}

// RoleClosure is a role and all active roles it includes at any depth.
func (s *Snapshot) RoleClosure(id RoleID) []RoleID { return s.roles.At(int(id)).closure }

// RolePermissions are the permissions a role carries itself.
func (s *Snapshot) RolePermissions(id RoleID) []*Permission {
	var out []*Permission
	for _, p := range s.roles.At(int(id)).permissions {
		out = append(out, s.Permission(p))
	}
	return out
}

// RoleAssignments is how many assignments are made of a role directly.
func (s *Snapshot) RoleAssignments(id RoleID) int {
	r := s.roles.At(int(id))
	return r.holders.Len()
}

// Given are the assignments made to a user or a group itself.
func (s *Snapshot) Given(m Assignee) []*Assignment {
	var ids []AssignmentID
	if m.User != 0 {
		ids = s.users.Get(int(m.User)).assignments
	} else if g := s.groups.At(int(m.Group)); g != nil {
		ids = g.assignments
	}
	out := make([]*Assignment, 0, len(ids))
	for _, id := range ids {
		out = append(out, s.Assignment(id))
	}
	return out
}

// MembershipsOf are the memberships a user or a group has itself.
func (s *Snapshot) MembershipsOf(m Member) []*Membership {
	ids := s.users.Get(int(m.User)).groups
	if m.Group != 0 {
		ids = s.groups.Get(int(m.Group)).parents
	}
	out := make([]*Membership, 0, len(ids))
	for _, id := range ids {
		out = append(out, s.Membership(id))
	}
	return out
}

// Members are the listed memberships of a group.
func (s *Snapshot) Members(id GroupID) []*Membership {
	g := s.groups.At(int(id))
	out := make([]*Membership, 0, g.members.Len())
	for i := range g.members.Len() {
		out = append(out, s.Membership(g.members.Get(i)))
	}
	return out
}

// MemberCount is how many listed members a group has.
func (s *Snapshot) MemberCount(id GroupID) int {
	g := s.groups.At(int(id))
	return g.members.Len()
}

// ChainsIn are all chains of a user into one application (0: any) that hold at
// an instant, shortest first.
func (s *Snapshot) ChainsIn(id UserID, app ApplicationID, at Instant) []Chain {
	if id != 0 && !s.Effective(id, at) {
		return nil
	}
	chains, _ := s.chains(id, at, func(p *Permission) bool { return app == 0 || p.Application == app })
	out := chains[:0]
	for _, c := range chains {
		if c.Fails == "" {
			out = append(out, c)
		}
	}
	sortChains(out)
	return out
}

// Gives says whether a permission gives an action on a target: a path, or a
// pattern all of which it must cover.
func (p *Permission) Gives(action, target string) bool {
	return p.gives(action) && Contains(p.Pattern, target)
}

// AllAssignments are all assignments in order of id.
func (s *Snapshot) AllAssignments() iter.Seq[*Assignment] {
	return func(yield func(*Assignment) bool) {
		for i := range s.assignments.Len() {
			if a := s.Assignment(AssignmentID(i)); a != nil && !yield(a) {
				return
			}
		}
	}
}
