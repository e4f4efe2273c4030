package lists

import (
	"cmp"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// SignUpRules are who may sign up by themselves, those that have ended last, to whoever may read the
// settings.
func SignUpRules(v *seeing.View) (wire.SignUpRuleList, error) {
	out := wire.SignUpRuleList{Basis: v.Basis(), Rules: []wire.SignUpRule{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read who may sign up")
	}
	s := v.Uncut()
	for _, f := range record.SignUpRules(s) {
		x := wire.SignUpRule{ID: f.ID.String(), Domain: f.Domain, Unit: f.Unit, Employment: f.Employment, Company: f.Company, Days: f.Days, SetBy: v.UserRef(f.By), Ended: f.Ended}
		if f.Sponsor != 0 {
			sponsor := v.UserRef(f.Sponsor)
			x.Sponsor = &sponsor
		}
		if !f.Ended {
			x.Rests = change.SignUpRests(s, f, v.At)
		}
		out.Rules = append(out.Rules, x)
	}
	slices.SortStableFunc(out.Rules, func(a, b wire.SignUpRule) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Ended), seeing.Order(b.Ended)), cmp.Compare(a.Domain, b.Domain))
	})
	return out, nil
}
