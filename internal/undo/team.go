package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

func (u *undoing) teamRule(f *fact.TeamRule, c access.RowChange) {
	now := record.TeamRule(u.head, f.ID)
	before, _ := c.Before.(*fact.TeamRule)
	after, _ := c.After.(*fact.TeamRule)
	end := func() { u.does(ending, "end_team_rule", fields{"team_rule": now.Key}) }
	if now == nil || after == nil || u.ended("team rule", f.Label, before == nil, now.Ended, end) {
		return
	}
	of := func(x *fact.TeamRule) fields {
		return fields{"key": now.Key, "label": x.Label, "description": x.Description, "filter": x.Filter, "roles": u.roleKeys(x.Roles), "people": x.People, "invites": x.Invites,
			"guest_unit": x.Guests.Unit, "guest_employment_type": x.Guests.Employment, "guest_company": x.Guests.Company, "guest_sponsor": x.Sponsor.String(), "guest_days": x.Guests.Days, "max_members": x.MaxMembers}
	}
	u.sets("set_team_rule", now.Label, of(before), of(after), of(now))
}

func (u *undoing) team(f *fact.Team, c access.RowChange) {
	label := u.head.Group(f.Group).Label
	now := record.Team(u.head, f.Group)
	before, _ := c.Before.(*fact.Team)
	if now != nil {
		u.ended("team", label, before == nil, now.Ended, func() { u.does(ending, "close_team", fields{"group": u.groupKey(f.Group)}) })
	}
}
