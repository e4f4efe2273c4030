package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

func (u *undoing) sharedAccount(f *fact.SharedAccount, c access.RowChange) {
	now := record.SharedAccount(u.head, f.User)
	before, _ := c.Before.(*fact.SharedAccount)
	end := func() { u.does(ending, "end_shared_account", fields{"user": f.User.String()}) }
	if now == nil || u.ended("shared account", u.called(f.User), before == nil, now.Ended, end) {
		return
	}
	of := func(x *fact.SharedAccount) fields {
		return fields{"user": f.User.String(), "custodian": u.name(x.Custodian), "group": u.groupKey(x.Group), "max_hours": x.MaxHours, "emergency": x.Emergency}
	}
	u.sets("set_shared_account", u.called(f.User), of(before), of(f), of(now))
}
