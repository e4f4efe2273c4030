package service

import (
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/wire"
)

// CompareRoles tells what each of two roles gives that the other does not, in
// the applications the caller may read.
func (v *View) CompareRoles(role, with string) (wire.RoleComparison, error) {
	out := wire.RoleComparison{Basis: v.basis(), Only: []wire.Entitlement{}, OnlyOther: []wire.Entitlement{}, Both: []wire.Entitlement{}}
	a, ok := v.FindRole(role)
	if !ok || !v.readsRole(a) {
		return out, v.missing(fact.FactRole, role)
	}
	b, ok := v.FindRole(with)
	if !ok || !v.readsRole(b) {
		return out, v.missing(fact.FactRole, with)
	}
	out.Role, out.With = v.roleRef(a, false), v.roleRef(b, false)
	type what struct {
		app            fact.ApplicationID
		action, target string
		own            bool
	}
	key := func(e query.Entitlement) what { return what{e.Application, e.Action, e.Target, e.Own} }
	theirs := map[what]bool{}
	second := query.RoleEntitlements(v.Snapshot, b)
	for _, e := range second {
		theirs[key(e)] = true
	}
	var only, other, both []query.Entitlement
	for _, e := range query.RoleEntitlements(v.Snapshot, a) {
		if k := key(e); theirs[k] {
			both = append(both, e)
			delete(theirs, k)
		} else {
			only = append(only, e)
		}
	}
	for _, e := range second {
		if theirs[key(e)] {
			other = append(other, e)
		}
	}
	for _, x := range []struct {
		to   *[]wire.Entitlement
		from []query.Entitlement
	}{{&out.Only, only}, {&out.OnlyOther, other}, {&out.Both, both}} {
		*x.to = append(*x.to, v.entitlements(x.from)...)
	}
	return out, nil
}
