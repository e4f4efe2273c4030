package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

func (u *undoing) employmentType(f *fact.EmploymentType, c access.RowChange) {
	now, _ := u.head.RecordFact(fact.FactEmploymentType, f.Row()).(*fact.EmploymentType)
	before, _ := c.Before.(*fact.EmploymentType)
	if now == nil || u.ended("employment type", f.Label, before == nil, now.Ended, func() { u.does(ending, "end_employment_type", fields{"employment_type": now.Key}) }) {
		return
	}
	of := func(x *fact.EmploymentType) fields {
		return fields{"key": now.Key, "label": x.Label, "external": x.External, "max_days": x.MaxDays, "closed": x.Closed, "max_hours": x.MaxHours}
	}
	u.sets("set_employment_type", now.Label, of(before), of(f), of(now))
}

// opening takes back an opening, while it is not over.
func (u *undoing) opening(f *fact.Opening, c access.RowChange) {
	now := u.head.Opening(f.User)
	switch {
	case c.After == nil:
		u.left("The access of %s was closed and stays so: open it again, for a reference.", u.called(f.User))
	case now == nil || now.Window != f.Window || now.Over(u.at):
		u.left("The opening of %s is over, or was followed by another.", u.called(f.User))
	default:
		u.does(ending, "close_access", fields{"user": f.User.String()})
	}
}
