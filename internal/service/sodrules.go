package service

import (
	"cmp"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
	"ableroster/internal/query"
	"ableroster/wire"
)

// SoD rules are all SoD rules with who breaks them; those that have ended last.
func (v *View) SoDRules() (wire.SoDRuleList, error) {
	out := wire.SoDRuleList{Basis: v.basis(), SoDRules: []wire.SoDRule{}}
	if !v.readsSettings() {
		return out, Refused("you may not read the SoD rules")
	}
	for _, f := range v.Snapshot.SoDRules() {
		out.SoDRules = append(out.SoDRules, v.sodRule(f))
	}
	slices.SortStableFunc(out.SoDRules, func(a, b wire.SoDRule) int {
		return cmp.Or(cmp.Compare(order(a.Ended), order(b.Ended)), cmp.Compare(a.Label, b.Label))
	})
	v.reasons(func(g giving) {
		for i := range out.SoDRules {
			c := &out.SoDRules[i]
			g(&c.Given)
			for k := range c.Violations {
				visitPaths(c.Violations[k].Paths, g)
			}
		}
	})
	return out, nil
}

func (v *View) sodRule(f *fact.SoDRule) wire.SoDRule {
	out := wire.SoDRule{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Prevent: f.Prevent, Ended: f.Ended,
		Roles: []wire.Ref{}, Violations: []wire.Violation{}, Given: &wire.Given{Revision: f.Opened}}
	for _, r := range f.Roles {
		out.Roles = append(out.Roles, v.roleRef(r, false))
	}
	for _, b := range query.Violations(v.Snapshot, f, v.at) {
		if b.User == 0 || !v.readsUser(b.User) {
			continue
		}
		x := wire.Violation{User: v.userRef(b.User), Until: instant(b.When[0].Until), Paths: []wire.Path{}}
		at := v.at
		if b.When[0].From > v.at {
			x.From, at = instant(b.When[0].From), b.When[0].From
		}
		for _, r := range f.Roles {
			if c := query.WayToRole(v.Snapshot, b.User, r, at); c != nil {
				x.Paths = append(x.Paths, v.path(b.User, *c))
			}
		}
		out.Violations = append(out.Violations, x)
	}
	slices.SortFunc(out.Violations, func(a, b wire.Violation) int { return cmp.Compare(a.User.Label, b.User.Label) })
	return out
}

// sodRuleRail says what SoD rule would come about, to whoever reads its roles.
func (v *View) sodRuleRail(r change.Rail) string {
	for _, role := range r.SoDRule.Roles {
		if !v.readsRole(role) {
			return "Somebody would come to combine roles that nobody may."
		}
	}
	text := v.several(r.Users) + " would violate the SoD rule " + r.SoDRule.Label + ": " + operation.SoDRuleWords(r.SoDRule, v.Snapshot)
	if r.SoDRule.Description != "" {
		text += " (" + r.SoDRule.Description + ")"
	}
	return text + "."
}
