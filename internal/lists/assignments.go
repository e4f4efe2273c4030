package lists

import (
	"slices"

	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// AssignmentSearch chooses assignments; blank fields do not narrow.
type AssignmentSearch struct {
	User, Group, Role string
	Cursor            string
	Limit             int
}

// Assignments are those the caller may read both ends of.
func Assignments(v *seeing.View, q AssignmentSearch) (wire.AssignmentList, error) {
	out := wire.AssignmentList{Basis: v.Basis(), Assignments: []wire.Assignment{}}
	var of fact.Assignee
	var role fact.RoleID
	var ok bool
	if q.User != "" {
		if of.User, ok = v.Uncut().FindUser(q.User); !ok || !v.ReadsUser(of.User) {
			return out, v.Missing(fact.FactUser, q.User)
		}
	}
	if q.Group != "" {
		if of.Group, ok = v.Uncut().FindGroup(q.Group); !ok || !v.ReadsGroup(of.Group) {
			return out, v.Missing(fact.FactGroup, q.Group)
		}
	}
	if q.Role != "" {
		if role, ok = v.Uncut().FindRole(q.Role); !ok || !v.ReadsRole(role) {
			return out, v.Missing(fact.FactRole, q.Role)
		}
	}
	var found []fact.AssignmentID
	sees := assignmentReader(v)
	for a := range v.Uncut().AssignmentHeads(role) {
		if (of == fact.Assignee{} || a.Assignee == of) && sees(a.Role, a.Assignee) {
			found = append(found, a.ID)
		}
	}
	slices.Sort(found)
	page, next, err := seeing.Cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	for _, id := range page {
		out.Assignments = append(out.Assignments, AssignmentOf(v, v.Uncut().Assignment(id), false))
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
	})
	return out, nil
}

// assignmentReader is readsAssignment for one assignment after the other.
func assignmentReader(v *seeing.View) func(fact.RoleID, fact.Assignee) bool {
	everybody := v.Rights().ReadsAllUsers()
	roles, groups := map[fact.RoleID]bool{}, map[fact.GroupID]bool{}
	return func(r fact.RoleID, to fact.Assignee) bool {
		sees, known := roles[r]
		if !known {
			sees = v.ReadsRole(r)
			roles[r] = sees
		}
		switch {
		case !sees:
			return false
		case to.User != 0:
			return everybody || v.ReadsUser(to.User)
		}
		sees, known = groups[to.Group]
		if !known {
			sees = v.ReadsGroup(to.Group)
			groups[to.Group] = sees
		}
		return sees
	}
}

// ReadsAssignment says whether the caller may read an assignment: its role or its holder.
func ReadsAssignment(v *seeing.View, a *fact.Assignment) bool {
	if !v.ReadsRole(a.Role) {
		return false
	}
	if a.Assignee.User != 0 {
		return v.ReadsUser(a.Assignee.User)
	}
	return v.ReadsGroup(a.Assignee.Group)
}

// Assignment is one assignment by its id.
func Assignment(v *seeing.View, ref string) (wire.Assignment, error) {
	n, _ := fact.ParseID("assignment", ref)
	a := v.Uncut().Assignment(fact.AssignmentID(n))
	if a == nil || !ReadsAssignment(v, a) {
		return wire.Assignment{}, seeing.NotFound("there is no assignment “%s” in force", ref)
	}
	out := AssignmentOf(v, a, false)
	v.Reasons(func(g seeing.Giving) { g(&out.Given) })
	return out, nil
}
