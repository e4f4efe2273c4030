package rosterfile

import (
	"cmp"
	"reflect"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"
)

// TeamRule says who may open teams, and what their owners may do in them.
type TeamRule struct {
	Label       string   `json:"label,omitempty"`
	Description string   `json:"description,omitempty"`
	Filter      string   `json:"filter" doc:"over users' facts: who may open a team"`
	Roles       []string `json:"roles,omitempty" doc:"keys of the roles that a team may be given"`
	People      string   `json:"people,omitempty" doc:"the unit whose people its owner may see, and add"`
	MaxMembers  int      `json:"max_members,omitempty" doc:"how many may be in one team; 50 by default"`
	Guests      *Guest   `json:"guests,omitempty" doc:"what becomes of people whom its owner invites; without it they invite nobody"`
}

// Guest is what becomes of people whom the owner of a team invites.
type Guest struct {
	Unit       string `json:"unit,omitempty" doc:"the unit they belong to"`
	Employment string `json:"employment_type,omitempty"`
	Company    string `json:"company,omitempty" doc:"the company they work for"`
	Sponsor    string `json:"sponsor,omitempty" doc:"user name of whom they report to"`
	Days       int    `json:"days,omitempty" doc:"how many days after they are invited is their last day"`
}

func (p *planner) teamRule(place, key string, x TeamRule) {
	now, there := access.FindKeyed[*fact.TeamRule](p.s, fact.FactTeamRule, key, access.Same)
	if there { // what is not said is as it is
		x.Label, x.MaxMembers = cmp.Or(x.Label, now.Label), cmp.Or(x.MaxMembers, now.MaxMembers)
	}
	if there && !now.Ended && reflect.DeepEqual((exporter{s: p.s, reads: func(fact.FactKind, uint32) bool { return true }}).teamRule(now), x) {
		return
	}
	op := &rules.SetTeamRule{Key: key, Label: x.Label, Description: x.Description, Filter: x.Filter, People: x.People, MaxMembers: x.MaxMembers}
	for _, r := range x.Roles {
		op.Roles = append(op.Roles, change.RoleRef(r))
	}
	if g := x.Guests; g != nil {
		op.Invites, op.Unit, op.Employment, op.Company, op.Sponsor, op.Days = true, g.Unit, g.Employment, g.Company, change.UserRef(g.Sponsor), g.Days
	}
	p.op(place, op)
}

func (x exporter) teamRule(f *fact.TeamRule) TeamRule {
	out := TeamRule{Label: f.Label, Description: f.Description, Filter: f.Filter, People: f.People, MaxMembers: f.MaxMembers}
	for _, r := range f.Roles {
		if x.reads(fact.FactRole, uint32(r)) {
			out.Roles = append(out.Roles, x.s.RoleKey(r))
		}
	}
	if f.Invites {
		out.Guests = &Guest{Unit: f.Guests.Unit, Employment: f.Guests.Employment, Company: f.Guests.Company, Days: f.Guests.Days}
		if sponsor := x.user(f.Sponsor); sponsor != nil {
			out.Guests.Sponsor = *sponsor
		}
	}
	return out
}
