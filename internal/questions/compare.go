package questions

import (
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// CompareRoles tells what each of two roles gives that the other does not, in
// the applications the caller may read.
func CompareRoles(v *seeing.View, role, with string) (wire.RoleComparison, error) {
	out := wire.RoleComparison{Basis: v.Basis(), Only: []wire.Entitlement{}, OnlyOther: []wire.Entitlement{}, Both: []wire.Entitlement{}}
	a, ok := v.Uncut().FindRole(role)
	if !ok || !v.ReadsRole(a) {
		return out, v.Missing(fact.FactRole, role)
	}
	b, ok := v.Uncut().FindRole(with)
	if !ok || !v.ReadsRole(b) {
		return out, v.Missing(fact.FactRole, with)
	}
	out.Role, out.With = v.RoleRef(a, false), v.RoleRef(b, false)
	type what struct {
		app            fact.ApplicationID
		action, target string
		own            bool
	}
	key := func(e query.Entitlement) what { return what{e.Application, e.Action, e.Target, e.Own} }
	theirs := map[what]bool{}
	second := query.RoleEntitlements(v.Uncut(), b)
	for _, e := range second {
		theirs[key(e)] = true
	}
	var only, other, both []query.Entitlement
	for _, e := range query.RoleEntitlements(v.Uncut(), a) {
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
		*x.to = append(*x.to, v.Entitlements(x.from)...)
	}
	return out, nil
}
