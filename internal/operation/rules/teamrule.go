package rules

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetTeamRule{}, "Let some users open teams and manage them, or edit the rule: all that is said of it")
	change.Register(&EndTeamRule{}, "Let nobody open or manage a team by a rule any more; teams stay as they are")
}

// SetTeamRule says who may open teams, and what they may do in them: all of the rule, from now on.
type SetTeamRule struct {
	Key         string           `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string           `json:"label,omitempty" doc:"what people call such teams"`
	Description string           `json:"description,omitempty" doc:"what they are for, in plain words"`
	Filter      string           `json:"filter" flag:"where" doc:"a filter (RFC 7644, section 3.4.2.2) over users' facts: who may open a team, and manages those they own"`
	Roles       []change.RoleRef `json:"roles,omitempty" flag:"role" doc:"a role that the owner of a team may give to it"`
	People      string           `json:"people,omitempty" doc:"the unit whose people the owner of a team may see, and add; blank: nobody beside those they may see anyway"`
	Invites     bool             `json:"invites,omitempty" doc:"the owner of a team may invite people who have no account yet"`
	Unit        string           `json:"guest_unit,omitempty" doc:"the unit of those whom they invite"`
	Employment  string           `json:"guest_employment_type,omitempty" doc:"their employment type"`
	Company     string           `json:"guest_company,omitempty" doc:"the company they work for"`
	Sponsor     change.UserRef   `json:"guest_sponsor,omitempty" doc:"whom they report to: user name or id"`
	Days        int              `json:"guest_days,omitempty" doc:"how many days after they are invited is their last day; 0: they have none"`
	MaxMembers  int              `json:"max_members,omitempty" doc:"how many may be in one team; 50 by default"`

	Rule change.TeamRuleRef `json:"team_rule,omitempty" set:"service"`
}

// mostMembers bounds how many may be in a team.
const mostMembers = 1000

// Verb implements change.Operation.
func (*SetTeamRule) Verb() string { return "set_team_rule" }

// ApplyTo implements change.Operation.
func (o SetTeamRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say who may open teams") {
		return
	}
	before := len(d.Faults)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	if o.Filter = strings.TrimSpace(o.Filter); o.Filter == "" {
		d.Fault("filter", "is blank, which does not mean everybody: say who may open a team")
	}
	settle.CheckFilter(d, o.Filter)
	settle.KnownInFilter(d, o.Filter)
	if len(o.Roles) == 0 {
		o.Roles = nil
	}
	if o.MaxMembers == 0 {
		o.MaxMembers = 50
	}
	if o.MaxMembers < 1 || o.MaxMembers > mostMembers {
		d.Fault("max_members", "is a number from 1 to %d", mostMembers)
	}
	f := &fact.TeamRule{Key: o.Key, Label: o.Label, Description: o.Description, Filter: o.Filter, People: o.People, Invites: o.Invites, MaxMembers: o.MaxMembers,
		Guests: fact.Newcomer{Unit: o.Unit, Employment: strings.TrimSpace(o.Employment), Company: strings.TrimSpace(o.Company), Days: o.Days}}
	if o.Sponsor != "" {
		f.Sponsor, _ = d.SettleUser("guest_sponsor", &o.Sponsor)
	}
	f.Roles = settle.Each("roles", &o.Roles, d.SettleRole)
	for _, r := range f.Roles {
		switch {
		case d.Role(r).Retired:
			d.Fault("roles", "%s is retired and would give nothing", d.RoleKey(r))
		case change.Administers(&d.Snapshot, r):
			d.Judged("roles", "%s gives rights in Able Roster itself: delegate those to people, and not to teams", d.RoleKey(r))
		}
	}
	if d.CheckUnit("people", f.People) && f.People != "" {
		d.KnownUnit("people", f.People)
	}
	o.checkGuests(d, f)
	old, there := access.FindKeyed[*fact.TeamRule](&d.Snapshot, fact.FactTeamRule, o.Key, access.Same)
	switch {
	case there && old.Ended:
		d.Fault("key", "the team rule %s has ended, and keys are never reused", o.Key)
	case !there && len(record.TeamRules(&d.Snapshot)) >= fact.MostTeamRules:
		d.Judged("", "there have been %d team rules, and there is no room for more", fact.MostTeamRules)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactTeamRule, o.Key)
		return
	}
	if !o.gives(d, f) {
		return
	}
	if there {
		d.Reads(fact.FactTeamRule, old.Row())
		f.ID = old.ID
		o.Rule = change.TeamRuleRef(f.ID.String())
		if old.Says(f) {
			d.Note(change.AlreadySo, old.Since())
			return
		}
	} else {
		f.ID = fact.TeamRuleID(d.Allocate(fact.FactTeamRule))
		o.Rule = change.TeamRuleRef(f.ID.String())
	}
	d.Put(f)
	return settled
}

// checkGuests files the faults of what is said of guests.
func (o *SetTeamRule) checkGuests(d *change.Draft, f *fact.TeamRule) {
	if o.Days < 0 || o.Days > settle.MostDays {
		d.Fault("guest_days", "is a number of days from 0 to %d", settle.MostDays)
		return
	}
	if !f.Invites {
		if f.Guests != (fact.Newcomer{}) || f.Sponsor != 0 {
			d.Fault("invites", "is missing: say it too, or leave out what is said of guests")
		}
		return
	}
	d.CheckNewcomer(f.Guests, f.Sponsor, map[string]string{"unit": "guest_unit", "employment_type": "guest_employment_type", "company": "guest_company", "end_date": "guest_days", "manager": "guest_sponsor"})
}

// gives asks for the rights to do all that owners of teams may do by a rule, and has the author judged
// as if they gave its roles.
func (o *SetTeamRule) gives(d *change.Draft, f *fact.TeamRule) bool {
	may := true
	if f.Invites {
		may = d.Need(access.ActCreate, d.NewUserPath(f.Guests.Unit), "add users%s", change.InUnit(f.Guests.Unit))
	}
	if f.Sponsor != 0 { // they come to decide on what those request
		may = d.Need(access.ActAssign, "roles", "assign all roles, on which the sponsor of guests comes to decide") && d.Need(access.ActAssign, patterns.Join("users", f.Guests.Unit), "assign roles to people%s", change.InUnit(f.Guests.Unit)) && may
	}
	if f.People != "" {
		may = d.Need(access.ActRead, patterns.Join("users", f.People), "see the people%s", change.InUnit(f.People)) && may
	}
	for _, r := range f.Roles {
		d.Promise(r)
	}
	return may
}

// Sentence implements change.Operation.
func (o *SetTeamRule) Sentence(s *access.Snapshot, _ change.Names) string {
	text := "Teams like " + o.Label + " may be opened by " + s.FilterWords(o.Filter)
	var roles []string
	for _, r := range o.Roles {
		id, _ := s.FindRole(string(r))
		if x := s.Role(id); x != nil {
			roles = append(roles, x.Label)
		}
	}
	if len(roles) > 0 {
		slices.Sort(roles)
		text += ", and given " + fact.ActionWords(roles)
	}
	return text
}

// EndTeamRule ends a team rule.
type EndTeamRule struct {
	Rule change.TeamRuleRef `json:"team_rule" doc:"its key or id"`
}

// Verb implements change.Operation.
func (*EndTeamRule) Verb() string { return "end_team_rule" }

// ApplyTo implements change.Operation.
func (o EndTeamRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say who may open teams") {
		return
	}
	old, ok := change.SettleKeyed[*fact.TeamRule](d, fact.FactTeamRule, "team_rule", &o.Rule, access.Same, "the team rule %s has ended")
	if !ok {
		return
	}
	settle.Alter(d, old, func(f *fact.TeamRule) { f.Ended = true })
	return settled
}

// Sentence implements change.Operation.
func (o *EndTeamRule) Sentence(s *access.Snapshot, _ change.Names) string {
	n, _ := fact.ParseID("team_rule", string(o.Rule))
	label := "one kind"
	if f := record.TeamRule(s, fact.TeamRuleID(n)); f != nil {
		label = f.Label
	}
	return "Nobody may open or manage teams like " + label + " any more"
}
