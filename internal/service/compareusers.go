package service

import (
	"encoding/json"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
	"ableroster/internal/query"
	"ableroster/wire"
)

// CompareUsers tells what each of two users has that the other has not: what was
// given to them, with the operation that gives it alike, and what they can do by it,
// in the applications the caller may read.
func (v *View) CompareUsers(user, with string) (wire.UserComparison, error) {
	out := wire.UserComparison{Basis: v.basis()}
	a, err := v.FindReadable(user)
	if err != nil {
		return out, err
	}
	b, err := v.FindReadable(with)
	if err != nil {
		return out, err
	}
	out.User, out.With = v.userRef(a), v.userRef(b)
	out.Roles = v.givenOnly(b, a)
	out.OwnRoles = v.givenOnly(a, b)
	out.Groups = v.joinedOnly(b, a)
	out.OwnGroups = v.joinedOnly(a, b)
	lacks, has, both := v.difference(a, b)
	out.Both = both
	out.Lacks = v.entitlements(lacks)
	out.Has = v.entitlements(has)
	out.OutsideToo = !v.seesAll()
	if out.Lacks == nil {
		out.Lacks = []wire.Entitlement{}
	}
	if out.Has == nil {
		out.Has = []wire.Entitlement{}
	}
	v.reasons(func(g giving) {
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
func (v *View) givenOnly(one, other fact.UserID) (out []wire.GivenRole) {
	out = []wire.GivenRole{}
	theirs := v.Given(fact.Assignee{User: other})
	for _, a := range v.Given(fact.Assignee{User: one}) {
		if a.Rule != 0 || v.over(a.Window) || hasLike(v, theirs, a) {
			continue
		}
		if !v.readsRole(a.Role) {
			continue
		}
		g := &operation.Grant{Role: change.RoleRef(v.RoleKey(a.Role)), User: change.UserRef(v.userRef(other).Key), Window: a.Window, Schedule: a.Schedule}
		for _, s := range a.Scopes {
			g.Scopes = append(g.Scopes, change.ScopeRef{Application: change.ApplicationRef(v.Snapshot.Application(s.Application).Key), Pattern: s.Pattern})
		}
		out = append(out, wire.GivenRole{Assignment: v.assignment(a, false), Operation: operationMap(g)})
	}
	return out
}

func hasLike(v *View, all []*fact.Assignment, a *fact.Assignment) bool {
	for _, b := range all {
		if a.Role == b.Role && a.Window == b.Window && v.scopesText(a.Scopes) == v.scopesText(b.Scopes) && scheduleText(a.Schedule) == scheduleText(b.Schedule) {
			return true
		}
	}
	return false
}

func (v *View) over(w calendar.Window) bool { return w.Until != 0 && w.Until <= v.at }

// joinedOnly are the groups one user was put into, but by a rule, and another was
// not.
func (v *View) joinedOnly(one, other fact.UserID) (out []wire.GivenGroup) {
	out = []wire.GivenGroup{}
	in := map[fact.GroupID]bool{}
	for _, m := range v.MembershipsOf(fact.Member{User: other}) {
		in[m.Group] = true
	}
	for _, m := range v.MembershipsOf(fact.Member{User: one}) {
		if m.Rule != 0 || in[m.Group] || v.over(m.Window) {
			continue
		}
		if !v.readsGroup(m.Group) {
			continue
		}
		op := &operation.AddMember{Group: change.GroupRef(v.Snapshot.Group(m.Group).Key), User: change.UserRef(v.userRef(other).Key), Window: m.Window}
		out = append(out, wire.GivenGroup{Membership: v.membership(m, false, nil), Operation: operationMap(op)})
	}
	return out
}

// difference is what the second user can do and the first cannot, the other way
// round, and how much both can, whatever its intervals.
func (v *View) difference(a, b fact.UserID) (lacks, has []query.Entitlement, both int) {
	type what struct {
		app            fact.ApplicationID
		action, target string
		own            bool
	}
	key := func(e query.Entitlement) what { return what{e.Application, e.Action, e.Target, e.Own} }
	mine, theirs := map[what]bool{}, map[what]bool{}
	first, second := v.heldNow(a), v.heldNow(b)
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
func (v *View) heldNow(id fact.UserID) []query.Entitlement {
	var out []query.Entitlement
	for _, e := range query.Entitlements(v.Snapshot, id) {
		for _, w := range e.When {
			if w.Holds(v.at) {
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
