package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

func (u *undoing) signUpRule(f *fact.SignUpRule, c access.RowChange) {
	now, _ := u.head.RecordFact(fact.FactSignUpRule, f.Row()).(*fact.SignUpRule)
	before, _ := c.Before.(*fact.SignUpRule)
	end := func() { u.does(ending, "end_sign_up_rule", fields{"sign_up_rule": now.Domain}) }
	if now == nil || u.ended("sign-up rule for", f.Domain, before == nil, now.Ended, end) {
		return
	}
	of := func(x *fact.SignUpRule) fields {
		return fields{"domain": now.Domain, "unit": x.Unit, "employment_type": x.Employment, "company": x.Company, "sponsor": x.Sponsor.String(), "days": x.Days}
	}
	u.sets("set_sign_up_rule", now.Domain, of(before), of(f), of(now))
}
