package service

import (
	"slices"

	"ableroster/internal/fact"
	"ableroster/wire"
)

// AssignmentSearch chooses assignments; blank fields do not narrow.
type AssignmentSearch struct {
	User, Group, Role string
	Cursor            string
	Limit             int
}

// Assignments are those the caller may read both ends of.
func (v *View) Assignments(q AssignmentSearch) (wire.AssignmentList, error) {
	out := wire.AssignmentList{Basis: v.basis(), Assignments: []wire.Assignment{}}
	var of fact.Assignee
	var role fact.RoleID
	var ok bool
	if q.User != "" {
		if of.User, ok = v.FindUser(q.User); !ok || !v.readsUser(of.User) {
			return out, v.missing(fact.FactUser, q.User)
		}
	}
	if q.Group != "" {
		if of.Group, ok = v.FindGroup(q.Group); !ok || !v.readsGroup(of.Group) {
			return out, v.missing(fact.FactGroup, q.Group)
		}
	}
	if q.Role != "" {
		if role, ok = v.FindRole(q.Role); !ok || !v.readsRole(role) {
			return out, v.missing(fact.FactRole, q.Role)
		}
	}
	var found []fact.AssignmentID
	sees := v.assignmentReader()
	for a := range v.AssignmentHeads(role) {
		if (of == fact.Assignee{} || a.Assignee == of) && sees(a.Role, a.Assignee) {
			found = append(found, a.ID)
		}
	}
	slices.Sort(found)
	page, next, err := cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	for _, id := range page {
		out.Assignments = append(out.Assignments, v.assignment(v.Snapshot.Assignment(id), false))
	}
	v.reasons(func(g giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
	})
	return out, nil
}

// assignmentReader is readsAssignment for one assignment after the other.
func (v *View) assignmentReader() func(fact.RoleID, fact.Assignee) bool {
	everybody := v.rights().ReadsAllUsers()
	roles, groups := map[fact.RoleID]bool{}, map[fact.GroupID]bool{}
	return func(r fact.RoleID, to fact.Assignee) bool {
		sees, known := roles[r]
		if !known {
			sees = v.readsRole(r)
			roles[r] = sees
		}
		switch {
		case !sees:
			return false
		case to.User != 0:
			return everybody || v.readsUser(to.User)
		}
		sees, known = groups[to.Group]
		if !known {
			sees = v.readsGroup(to.Group)
			groups[to.Group] = sees
		}
		return sees
	}
}

func (v *View) readsAssignment(a *fact.Assignment) bool {
	if !v.readsRole(a.Role) {
		return false
	}
	if a.Assignee.User != 0 {
		return v.readsUser(a.Assignee.User)
	}
	return v.readsGroup(a.Assignee.Group)
}

// Assignment is one assignment by its id.
func (v *View) Assignment(ref string) (wire.Assignment, error) {
	n, _ := fact.ParseID("assignment", ref)
	a := v.Snapshot.Assignment(fact.AssignmentID(n))
	if a == nil || !v.readsAssignment(a) {
		return wire.Assignment{}, notFound("there is no assignment “%s” in force", ref)
	}
	out := v.assignment(a, false)
	v.reasons(func(g giving) { g(&out.Given) })
	return out, nil
}
