package undo

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

func (u *undoing) machineAccount(f *fact.MachineAccount, c access.RowChange) {
	now := record.MachineAccount(u.head, f.User)
	before, _ := c.Before.(*fact.MachineAccount)
	if now == nil || before == nil {
		u.left("What was said of the machine account %s stays: say something else of it.", u.name(f.User))
		return
	}
	of := func(x *fact.MachineAccount) fields {
		people := []string{}
		for _, id := range x.Accountable {
			people = append(people, u.name(id))
		}
		app := ""
		if a := u.head.Application(x.Application); a != nil {
			app = a.Key
		}
		return fields{"user": f.User.String(), "purpose": x.Purpose, "accountable": people, "application": app, "secret_at": x.SecretAt, "acts_for_users": x.ActsFor}
	}
	u.sets("set_machine_account", u.name(f.User), of(before), of(f), of(now))
	source := func(x *fact.MachineAccount) fields {
		return fields{"user": f.User.String(), "attributes": slices.Clone(x.Attributes), "overridable": slices.Clone(x.Overridable), "filter": x.Filter}
	}
	u.sets("set_attribute_source", u.name(f.User), source(before), source(f), source(now))
}
