package access

import (
	"iter"
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

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

// UsersSince are the users whose facts differ from those of an older snapshot,
// in order of id. What was given to somebody is no fact of theirs.
func (s *Snapshot) UsersSince(older *Snapshot) iter.Seq[*User] {
	return func(yield func(*User) bool) {
		for i := range s.users.Differ(&older.users) {
			if u := s.User(UserID(i)); u != nil && u != older.User(UserID(i)) && !yield(u) {
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

// RoleIncludes are the roles a role includes directly, in the order in which they
// were included.
func (s *Snapshot) RoleIncludes(id RoleID) []RoleID {
	var out []RoleID
	for _, i := range slices.Sorted(slices.Values(s.roles.At(int(id)).includes)) {
		out = append(out, s.inclusions.At(int(i)).fact.Included)
	}
	return out
}

// RoleIncludedBy are the roles that include a role directly.
func (s *Snapshot) RoleIncludedBy(id RoleID) []RoleID {
	var out []RoleID
	for _, i := range slices.Sorted(slices.Values(s.roles.At(int(id)).includedBy)) {
		out = append(out, s.inclusions.At(int(i)).fact.Role)
	}
	return out
}

// RoleClosure is a role and all active roles it includes at any depth.
func (s *Snapshot) RoleClosure(id RoleID) []RoleID { return s.roles.At(int(id)).closure }

// RolePermissions are the permissions a role carries itself, in the order in which
// it was given them.
func (s *Snapshot) RolePermissions(id RoleID) []*Permission {
	var out []*Permission
	for _, p := range slices.Sorted(slices.Values(s.roles.At(int(id)).permissions)) {
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
	all := s.givenTo(m)
	out := make([]*Assignment, 0, len(all))
	for _, g := range all {
		out = append(out, s.Assignment(g.assignment()))
	}
	return out
}

// EachGiven calls yield for each assignment made to a user or a group itself, without
// the making of it.
func (s *Snapshot) EachGiven(m Assignee, yield func(RoleID, calendar.Window, Origin)) {
	for _, g := range s.givenTo(m) {
		r := s.assignments.At(int(g.assignment()))
		var w calendar.Window
		if r.limits != nil {
			w = r.limits.window
		}
		yield(r.role, w, origins[r.origin])
	}
}

// MembershipsOf are the memberships a user or a group has itself.
func (s *Snapshot) MembershipsOf(m Member) []*Membership {
	via := s.joinedTo(m)
	out := make([]*Membership, 0, len(via))
	for _, j := range via {
		if !j.byRule() {
			out = append(out, s.Membership(j.membership()))
		}
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

// Cell is how a user may do one action on one resource: nothing when they may
// not at the instant, at no time of the week and on nothing of their own.
type Cell struct {
	Chain    *Chain // the shortest that holds; nil: not allowed
	Own      bool   // only on their own
	Schedule bool   // only at some times of the week
	Fenced   bool   // not allowed, and only for a fence
	Until    calendar.Instant
}

// Cells are how a user may do actions on the resources of an application at an
// instant, one for each of the targets.
func (s *Snapshot) Cells(id UserID, app ApplicationID, at calendar.Instant, targets []Target) []Cell {
	out := make([]Cell, len(targets))
	if id != 0 && !s.Effective(id, at) {
		return out
	}
	rec := s.applications.At(int(app))
	chains, more := s.chains(id, at, nil, func(p *Permission) bool { return p.Application == app })
	sortChains(chains)
	if more {
		s.lasting(id, at, chains)
	}
	for i, t := range targets {
		if _, known := s.known(rec, t.Path); !known {
			continue
		}
		c := &out[i]
		best := missNone
		for j := range chains {
			chain := &chains[j]
			p, f := s.Permission(chain.Permission), s.Assignment(chain.Assignment)
			if chain.Fails != "" || id == 0 && p.Own || !p.gives(t.Action) || !patterns.Covers(p.Pattern, t.Path) || !inScope(f.Scopes, app, t.Path) {
				continue
			}
			if s.fenced(rec, p.Pattern, t.Action, t.Path) {
				c.Fenced = c.Chain == nil
				continue
			}
			m := holdsNow // conditions are no misses here, but lesser ways
			if f.Schedule != nil {
				m = missSchedule
			}
			if p.Own {
				m = max(m, missOwner)
			}
			switch {
			case m < best:
				best = m
				*c = Cell{Chain: chain, Own: p.Own, Schedule: f.Schedule != nil, Until: chain.Window.Until}
			case m == best && c.Until != 0 && (chain.Window.Until == 0 || chain.Window.Until > c.Until):
				c.Until = chain.Window.Until // the longest says until when
			}
		}
	}
	return out
}

// lasting gives chains that hold at an instant the time of all the ways through their
// assignment, where not all of these are listed.
func (s *Snapshot) lasting(id UserID, at calendar.Instant, chains []Chain) {
	in := s.groupIntervals(id)
	for i := range chains {
		f := s.Assignment(chains[i].Assignment)
		when := calendar.Always()
		if g := f.Assignee.Group; g != 0 {
			when = in[g]
		}
		for _, w := range when.Within(f.Window) {
			if w.Holds(at) && chains[i].Fails == "" {
				chains[i].Window = w
			}
		}
	}
}

// Target is one action on one path.
type Target struct{ Action, Path string }

// AssignmentHead is whom an assignment gives what.
type AssignmentHead struct {
	ID       AssignmentID
	Assignee Assignee
	Role     RoleID
}

// AssignmentHeads are those of the assignments of a role, or of all in order of id
// for role 0, without the making of each.
func (s *Snapshot) AssignmentHeads(role RoleID) iter.Seq[AssignmentHead] {
	return func(yield func(AssignmentHead) bool) {
		if role != 0 {
			rec := s.roles.At(int(role))
			for i := range rec.holders.Len() {
				id := rec.holders.Get(i)
				if !yield(AssignmentHead{id, s.assignments.At(int(id)).to.member(), role}) {
					return
				}
			}
			return
		}
		for i := range s.assignments.Len() {
			if r := s.assignments.At(i); r != nil && r.role != 0 && !yield(AssignmentHead{AssignmentID(i), r.to.member(), r.role}) {
				return
			}
		}
	}
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
