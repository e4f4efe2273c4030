package lists

import (
	"cmp"
	"slices"

	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// SoD rules are all SoD rules with who breaks them; those that have ended last.
func SoDRules(v *seeing.View) (wire.SoDRuleList, error) {
	out := wire.SoDRuleList{Basis: v.Basis(), SoDRules: []wire.SoDRule{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read the SoD rules")
	}
	for _, f := range record.SoDRules(v.Uncut()) {
		out.SoDRules = append(out.SoDRules, sodRule(v, f))
	}
	slices.SortStableFunc(out.SoDRules, func(a, b wire.SoDRule) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Ended), seeing.Order(b.Ended)), cmp.Compare(a.Label, b.Label))
	})
	v.Reasons(func(g seeing.Giving) {
		for i := range out.SoDRules {
			c := &out.SoDRules[i]
			g(&c.Given)
			for k := range c.Violations {
				seeing.VisitPaths(c.Violations[k].Paths, g)
			}
		}
	})
	return out, nil
}

func sodRule(v *seeing.View, f *fact.SoDRule) wire.SoDRule {
	out := wire.SoDRule{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Prevent: f.Prevent, Ended: f.Ended,
		Roles: []wire.Ref{}, Violations: []wire.Violation{}, Given: &wire.Given{Revision: f.Opened}}
	for _, r := range f.Roles {
		out.Roles = append(out.Roles, v.RoleRef(r, false))
	}
	for _, b := range query.Violations(v.Uncut(), f, v.At) {
		if b.User == 0 || !v.ReadsUser(b.User) {
			continue
		}
		x := wire.Violation{User: v.UserRef(b.User), Until: seeing.Instant(b.When[0].Until), Paths: []wire.Path{}}
		at := v.At
		if b.When[0].From > v.At {
			x.From, at = seeing.Instant(b.When[0].From), b.When[0].From
		}
		for _, r := range f.Roles {
			if c := query.WayToRole(v.Uncut(), b.User, r, at); c != nil {
				x.Paths = append(x.Paths, v.Path(b.User, *c))
			}
		}
		out.Violations = append(out.Violations, x)
	}
	slices.SortFunc(out.Violations, func(a, b wire.Violation) int { return cmp.Compare(a.User.Label, b.User.Label) })
	return out
}
