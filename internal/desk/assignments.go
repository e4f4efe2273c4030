package desk

import (
	"ableroster/internal/access"
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
	out := wire.AssignmentList{Stand: v.stand(), Assignments: []wire.Assignment{}}
	var of access.Assignee
	var role access.RoleID
	var ok bool
	if q.User != "" {
		if of.User, ok = v.FindUser(q.User); !ok || !v.readsUser(of.User) {
			return out, v.missing(access.FactUser, q.User)
		}
	}
	if q.Group != "" {
		if of.Group, ok = v.FindGroup(q.Group); !ok || !v.readsGroup(of.Group) {
			return out, v.missing(access.FactGroup, q.Group)
		}
	}
	if q.Role != "" {
		if role, ok = v.FindRole(q.Role); !ok || !v.readsRole(role) {
			return out, v.missing(access.FactRole, q.Role)
		}
	}
	var found []*access.Assignment
	for a := range v.AllAssignments() {
		if (of == access.Assignee{} || a.Assignee == of) && (role == 0 || a.Role == role) && v.readsAssignment(a) {
			found = append(found, a)
		}
	}
	page, next, err := cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	for _, a := range page {
		out.Assignments = append(out.Assignments, v.assignment(a, false))
	}
	v.reasons(func(g giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
	})
	return out, nil
}

func (v *View) readsAssignment(a *access.Assignment) bool {
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
	n, _ := access.ParseID("assignment", ref)
	a := v.Snapshot.Assignment(access.AssignmentID(n))
	if a == nil || !v.readsAssignment(a) {
		return wire.Assignment{}, notFound("there is no assignment “%s” in force", ref)
	}
	out := v.assignment(a, false)
	v.reasons(func(g giving) { g(&out.Given) })
	return out, nil
}
