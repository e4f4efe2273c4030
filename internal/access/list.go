package access

import (
	"iter"
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Users are all users in order of id.
func (s *Snapshot) Users() iter.Seq[*fact.User] {
	return func(yield func(*fact.User) bool) {
		for i := range s.UserTable.Len() {
			if u := s.User(fact.UserID(i)); u != nil && !yield(u) {
				return
			}
		}
	}
}

// UsersSince are the users whose facts differ from those of an older snapshot,
// in order of id. What was given to somebody is no fact of theirs.
func (s *Snapshot) UsersSince(older *Snapshot) iter.Seq[*fact.User] {
	return func(yield func(*fact.User) bool) {
		for i := range s.UserTable.Differ(&older.UserTable) {
			if u := s.User(fact.UserID(i)); u != nil && u != older.User(fact.UserID(i)) && !yield(u) {
				return
			}
		}
	}
}

// Groups are all groups in order of id, the built-in ones first.
func (s *Snapshot) Groups() iter.Seq[*fact.Group] {
	return func(yield func(*fact.Group) bool) {
		for i := range s.GroupTable.Len() {
			if g := s.Group(fact.GroupID(i)); g != nil && !yield(g) {
				return
			}
		}
	}
}

// Applications are all applications in order of id.
func (s *Snapshot) Applications() iter.Seq[*fact.Application] {
	return func(yield func(*fact.Application) bool) {
		for i := range s.ApplicationTable.Len() {
			if a := s.Application(fact.ApplicationID(i)); a != nil && !yield(a) {
				return
			}
		}
	}
}

// Roles are all roles in order of id.
func (s *Snapshot) Roles() iter.Seq[*fact.Role] {
	return func(yield func(*fact.Role) bool) {
		for i := range s.RoleTable.Len() {
			if r := s.Role(fact.RoleID(i)); r != nil && !yield(r) {
				return
			}
		}
	}
}

// Resources are an application's registered resources.
func (s *Snapshot) Resources(id fact.ApplicationID) []*fact.Resource {
	var out []*fact.Resource
	if a := s.ApplicationTable.At(int(id)); a != nil {
		for _, r := range a.Resources {
			out = append(out, s.ResourceTable.At(int(r)).Fact)
		}
	}
	return out
}

// RoleIncludes are the roles a role includes directly, in the order in which they
// were included.
func (s *Snapshot) RoleIncludes(id fact.RoleID) []fact.RoleID {
	var out []fact.RoleID
	for _, i := range slices.Sorted(slices.Values(s.RoleTable.At(int(id)).Includes)) {
		out = append(out, s.InclusionTable.At(int(i)).Fact.Included)
	}
	return out
}

// RoleIncludedBy are the roles that include a role directly.
func (s *Snapshot) RoleIncludedBy(id fact.RoleID) []fact.RoleID {
	var out []fact.RoleID
	for _, i := range slices.Sorted(slices.Values(s.RoleTable.At(int(id)).IncludedBy)) {
		out = append(out, s.InclusionTable.At(int(i)).Fact.Role)
	}
	return out
}

// RoleClosure is a role and all active roles it includes at any depth.
func (s *Snapshot) RoleClosure(id fact.RoleID) []fact.RoleID { return s.RoleTable.At(int(id)).Closure }

// RolePermissions are the permissions a role carries itself, in the order in which
// it was given them.
func (s *Snapshot) RolePermissions(id fact.RoleID) []*fact.Permission {
	var out []*fact.Permission
	for _, p := range slices.Sorted(slices.Values(s.RoleTable.At(int(id)).Permissions)) {
		out = append(out, s.Permission(p))
	}
	return out
}

// RoleAssignments is how many assignments are made of a role directly.
func (s *Snapshot) RoleAssignments(id fact.RoleID) int {
	r := s.RoleTable.At(int(id))
	return r.Holders.Len()
}

// Given are the assignments made to a user or a group itself.
func (s *Snapshot) Given(m fact.Assignee) []*fact.Assignment {
	all := s.GivenTo(m)
	out := make([]*fact.Assignment, 0, len(all))
	for _, g := range all {
		out = append(out, s.Assignment(g.Assignment()))
	}
	return out
}

// EachGiven calls yield for each assignment made to a user or a group itself, without
// the making of it.
func (s *Snapshot) EachGiven(m fact.Assignee, yield func(fact.RoleID, calendar.Window, fact.Origin)) {
	for _, g := range s.GivenTo(m) {
		r := s.AssignmentTable.At(int(g.Assignment()))
		var w calendar.Window
		if r.Limits != nil {
			w = r.Limits.Window
		}
		yield(r.Role, w, fact.Origins[r.Origin])
	}
}

// MembershipsOf are the memberships a user or a group has itself.
func (s *Snapshot) MembershipsOf(m fact.Member) []*fact.Membership {
	via := s.JoinedTo(m)
	out := make([]*fact.Membership, 0, len(via))
	for _, j := range via {
		if !j.ByRule() {
			out = append(out, s.Membership(j.Membership()))
		}
	}
	return out
}

// Members are the listed memberships of a group.
func (s *Snapshot) Members(id fact.GroupID) []*fact.Membership {
	g := s.GroupTable.At(int(id))
	out := make([]*fact.Membership, 0, g.Members.Len())
	for i := range g.Members.Len() {
		out = append(out, s.Membership(g.Members.Get(i)))
	}
	return out
}

// MemberCount is how many listed members a group has.
func (s *Snapshot) MemberCount(id fact.GroupID) int {
	g := s.GroupTable.At(int(id))
	return g.Members.Len()
}

// AssignmentHead is whom an assignment gives what.
type AssignmentHead struct {
	ID       fact.AssignmentID
	Assignee fact.Assignee
	Role     fact.RoleID
}

// AssignmentHeads are those of the assignments of a role, or of all in order of id
// for role 0, without the making of each.
func (s *Snapshot) AssignmentHeads(role fact.RoleID) iter.Seq[AssignmentHead] {
	return func(yield func(AssignmentHead) bool) {
		if role != 0 {
			rec := s.RoleTable.At(int(role))
			for i := range rec.Holders.Len() {
				id := rec.Holders.Get(i)
				if !yield(AssignmentHead{id, s.AssignmentTable.At(int(id)).To.Member(), role}) {
					return
				}
			}
			return
		}
		for i := range s.AssignmentTable.Len() {
			if r := s.AssignmentTable.At(i); r != nil && r.Role != 0 && !yield(AssignmentHead{fact.AssignmentID(i), r.To.Member(), r.Role}) {
				return
			}
		}
	}
}

// AllAssignments are all assignments in order of id.
func (s *Snapshot) AllAssignments() iter.Seq[*fact.Assignment] {
	return func(yield func(*fact.Assignment) bool) {
		for i := range s.AssignmentTable.Len() {
			if a := s.Assignment(fact.AssignmentID(i)); a != nil && !yield(a) {
				return
			}
		}
	}
}
