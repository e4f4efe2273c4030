package questions

import (
	"encoding/json"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/operation/roles"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// CompareUsers tells what each of two users has that the other has not: what was
// given to them, with the operation that gives it alike, and what they can do by it,
// in the applications the caller may read.
func CompareUsers(v *seeing.View, user, with string) (wire.UserComparison, error) {
	out := wire.UserComparison{Basis: v.Basis()}
	a, err := lists.FindReadable(v, user)
	if err != nil {
		return out, err
	}
	b, err := lists.FindReadable(v, with)
	if err != nil {
		return out, err
	}
	out.User, out.With = v.UserRef(a), v.UserRef(b)
	out.Roles = givenOnly(v, b, a)
	out.OwnRoles = givenOnly(v, a, b)
	out.Groups = joinedOnly(v, b, a)
	out.OwnGroups = joinedOnly(v, a, b)
	lacks, has, both := difference(v, a, b)
	out.Both = both
	out.Lacks = v.Entitlements(lacks)
	out.Has = v.Entitlements(has)
	out.OutsideToo = !v.SeesAll()
	if out.Lacks == nil {
		out.Lacks = []wire.Entitlement{}
	}
	if out.Has == nil {
		out.Has = []wire.Entitlement{}
	}
	v.Reasons(func(g seeing.Giving) {
		for _, all := range [][]wire.GivenRole{out.Roles, out.OwnRoles} {
			for i := range all {
				g(&all[i].Assignment.Given)
			}
		}
	})
	return out, nil
}

// givenOnly are the assignments to one user, but by a default rule, that another has
// none like.
func givenOnly(v *seeing.View, one, other fact.UserID) (out []wire.GivenRole) {
	out = []wire.GivenRole{}
	theirs := v.Uncut().Given(fact.Assignee{User: other})
	for _, a := range v.Uncut().Given(fact.Assignee{User: one}) {
		if a.Rule != 0 || v.Over(a.Window) || hasLike(v, theirs, a) {
			continue
		}
		if !v.ReadsRole(a.Role) {
			continue
		}
		g := &roles.Grant{Role: change.RoleRef(v.Uncut().RoleKey(a.Role)), User: change.UserRef(v.UserRef(other).Key), Window: a.Window, Schedule: a.Schedule}
		for _, s := range a.Scopes {
			g.Scopes = append(g.Scopes, change.ScopeRef{Application: change.ApplicationRef(v.Uncut().Application(s.Application).Key), Pattern: s.Pattern})
		}
		out = append(out, wire.GivenRole{Assignment: lists.AssignmentOf(v, a, false), Operation: operationMap(g)})
	}
	return out
}

func hasLike(v *seeing.View, all []*fact.Assignment, a *fact.Assignment) bool {
	for _, b := range all {
		if a.Role == b.Role && a.Window == b.Window && v.ScopesText(a.Scopes) == v.ScopesText(b.Scopes) && seeing.ScheduleText(a.Schedule) == seeing.ScheduleText(b.Schedule) {
			return true
		}
	}
	return false
}

// joinedOnly are the groups one user was put into, but by a rule, and another was
// not.
func joinedOnly(v *seeing.View, one, other fact.UserID) (out []wire.GivenGroup) {
	out = []wire.GivenGroup{}
	in := map[fact.GroupID]bool{}
	for _, m := range v.Uncut().MembershipsOf(fact.Member{User: other}) {
		in[m.Group] = true
	}
	for _, m := range v.Uncut().MembershipsOf(fact.Member{User: one}) {
		if !m.ByHand() || in[m.Group] || v.Over(m.Window) {
			continue
		}
		if !v.ReadsGroup(m.Group) {
			continue
		}
		op := &roles.AddMember{Group: change.GroupRef(v.Uncut().Group(m.Group).Key), User: change.UserRef(v.UserRef(other).Key), Window: m.Window}
		out = append(out, wire.GivenGroup{Membership: lists.Membership(v, m, false, nil), Operation: operationMap(op)})
	}
	return out
}

// difference is what the second user can do and the first cannot, the other way
// round, and how much both can, whatever its intervals.
func difference(v *seeing.View, a, b fact.UserID) (lacks, has []query.Entitlement, both int) {
	type what struct {
		app            fact.ApplicationID
		action, target string
		own            bool
	}
	key := func(e query.Entitlement) what { return what{e.Application, e.Action, e.Target, e.Own} }
	mine, theirs := map[what]bool{}, map[what]bool{}
	first, second := heldNow(v, a), heldNow(v, b)
	for _, e := range first {
		mine[key(e)] = true
	}
	for _, e := range second {
		theirs[key(e)] = true
		if !mine[key(e)] {
			lacks = append(lacks, e)
		} else {
			both++
		}
	}
	for _, e := range first {
		if !theirs[key(e)] {
			has = append(has, e)
		}
	}
	return lacks, has, both
}

// heldNow are the entitlements a user has at the view's instant.
func heldNow(v *seeing.View, id fact.UserID) []query.Entitlement {
	var out []query.Entitlement
	for _, e := range query.Entitlements(v.Uncut(), id) {
		for _, w := range e.When {
			if w.Holds(v.At) {
				e.When = calendar.Intervals{w}
				out = append(out, e)
				break
			}
		}
	}
	return out
}

// operationMap is an operation as it is sent.
func operationMap(op change.Operation) map[string]any {
	raw, err := change.EncodeOperation(op)
	out := map[string]any{}
	if err == nil {
		_ = json.Unmarshal(raw, &out)
	}
	return out
}
