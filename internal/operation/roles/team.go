package roles

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&OpenTeam{}, "Open a team by a team rule: a group whose owner manages it")
	change.Register(&CloseTeam{}, "Close a team: nobody is in it, and it holds no role, any more")
}

// OpenTeam adds a group that is a team. Whom the rule chooses may do so for themselves.
type OpenTeam struct {
	Rule        change.TeamRuleRef `json:"team_rule" doc:"the rule: key or id"`
	Key         string             `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string             `json:"label,omitempty" doc:"what people call it"`
	Description string             `json:"description,omitempty" doc:"what it is for, in plain words"`
	Owner       change.UserRef     `json:"owner,omitempty" doc:"who manages it, and is in it: user name or id; oneself by default"`

	Group      change.GroupRef      `json:"group,omitempty" set:"service"`
	Membership change.MembershipRef `json:"membership,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*OpenTeam) Verb() string { return "open_team" }

// ApplyTo implements change.Operation.
func (o OpenTeam) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if o.Owner == "" && d.Author != 0 {
		o.Owner = change.UserRef(d.Author.String())
	}
	owner, known := d.SettleUser("owner", &o.Owner)
	rule, ok := access.FindKeyed[*fact.TeamRule](&d.Snapshot, fact.FactTeamRule, string(o.Rule), access.Same)
	own := ok && known && owner == d.Author && rule.Chooses(d.User(owner))
	if !ok || !own && !d.MaySee(fact.FactTeamRule, rule.Row()) {
		d.Missing(fact.FactTeamRule, "team_rule", string(o.Rule))
		return
	}
	o.Rule = change.TeamRuleRef(rule.ID.String())
	d.Reads(fact.FactTeamRule, rule.Row())
	before := len(d.Faults)
	unit := ""
	if known {
		u := d.User(owner)
		if unit = u.Unit; rule.Ended {
			d.Fault("team_rule", "the team rule %s has ended", rule.Key)
		} else if !rule.Chooses(u) {
			d.Judged("owner", "%s may not open such a team: the rule chooses %s", u.UserName, d.FilterWords(rule.Filter))
		}
		if len(record.TeamsOf(&d.Snapshot, owner)) >= fact.MostTeams {
			d.Judged("owner", "%s has opened %d teams, and may open no more", u.UserName, fact.MostTeams)
		}
	}
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if !own && !d.Need(access.ActCreate, access.GroupPath(unit, o.Key), "add groups%s", change.InUnit(unit)) {
		d.Fails(fact.FactGroup, o.Key)
		return
	} else if id, taken := d.FindGroup(o.Key); taken {
		d.Taken("key", fact.FactGroup, uint32(id), o.Key, "keys")
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	d.CheckOurs("label", o.Label)
	if len(d.Faults) > before || !known {
		d.Fails(fact.FactGroup, o.Key)
		return
	}
	g := &fact.Group{ID: fact.GroupID(d.Allocate(fact.FactGroup)), Key: o.Key, Label: o.Label, Description: o.Description, Unit: unit, Owner: owner}
	m := &fact.Membership{ID: fact.MembershipID(d.Allocate(fact.FactMembership)), Group: g.ID, Member: fact.Member{User: owner}, Opened: d.Revision}
	o.Group, o.Membership = change.GroupRef(g.ID.String()), change.MembershipRef(m.ID.String())
	d.Put(g)
	d.Put(&fact.Team{Group: g.ID, Rule: rule.ID})
	d.Put(m)
	return settled
}

// Sentence implements change.Operation.
func (o *OpenTeam) Sentence(s *access.Snapshot, n change.Names) string {
	owner, _ := s.FindUser(string(o.Owner))
	return "Opened the team " + o.Label + ", which " + n.UserName(owner) + " manages"
}

// team settles a team that has not been closed.
func team(d *change.Draft, ref *change.GroupRef) (*fact.Team, bool) {
	id, ok := d.SettleGroup("group", ref)
	if !ok || !d.NeedTeam(id, access.ActUpdate, d.GroupPath(id), "update the group %s", d.Group(id).Key) {
		return nil, false
	}
	f := record.Team(&d.Snapshot, id)
	if f == nil || f.Ended {
		d.Fault("group", "%s is no team that is open", d.Group(id).Label)
		return nil, false
	}
	return f, true
}

// CloseTeam ends a team; its group stays, for past days.
type CloseTeam struct {
	Group change.GroupRef `json:"group" doc:"the team: key or id"`

	Ended []change.ThingRef `json:"ended,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*CloseTeam) Verb() string { return "close_team" }

// ApplyTo implements change.Operation.
func (o CloseTeam) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	f, ok := team(d, &o.Group)
	if !ok {
		return
	}
	var gone []fact.Fact
	for _, g := range d.GivenTo(fact.Assignee{Group: f.Group}) {
		if a := d.Assignment(g.Assignment()); a.Rule == 0 {
			gone = append(gone, a)
		}
	}
	for _, m := range d.Members(f.Group) {
		if m.ByHand() {
			gone = append(gone, m)
		}
	}
	o.Ended = nil
	for _, x := range gone {
		o.Ended = append(o.Ended, change.ThingRef(fact.IDText(x.Kind(), x.Row())))
		d.End(x)
	}
	slices.Sort(o.Ended)
	settle.Alter(d, f, func(f *fact.Team) { f.Ended = true })
	return settled
}

// Sentence implements change.Operation.
func (o *CloseTeam) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Closed the team " + groupLabel(s, o.Group)
}

// inTeam says whether a member may be put into a group, where that is a team, and files the fault.
func inTeam(d *change.Draft, id fact.GroupID, m fact.Member) bool {
	f := record.Team(&d.Snapshot, id)
	if f == nil || f.Ended || d.Replays {
		return true
	}
	if m.User == 0 || d.User(m.User).UserKind != fact.Person {
		field := "user"
		if m.User == 0 {
			field = "member_group"
		}
		d.Fault(field, "%s is a team: people alone are in it", d.Group(id).Label)
		return false
	}
	if rule := record.TeamRule(&d.Snapshot, f.Rule); MembershipOf(d, m, id) == nil && d.MemberCount(id) >= rule.MaxMembers {
		d.Fault("group", "%s has as many members as a team like it may have: %d", d.Group(id).Label, rule.MaxMembers)
		return false
	}
	return true
}
