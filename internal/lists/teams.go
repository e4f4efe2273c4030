package lists

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// TeamRules are who may open teams, those that have ended last, to whoever may read the settings; to
// others, those by which they may open teams themselves.
func TeamRules(v *seeing.View) wire.TeamRuleList {
	out := wire.TeamRuleList{Basis: v.Basis(), Rules: []wire.TeamRule{}}
	s, me := v.Uncut(), v.Uncut().User(v.Caller.User)
	open := map[fact.TeamRuleID]int{}
	for _, f := range access.RecordFactsOf[*fact.Team](s, fact.FactTeam) {
		if !f.Ended && v.ReadsGroup(f.Group) {
			open[f.Rule]++
		}
	}
	for _, f := range record.TeamRules(s) {
		opens := f.Chooses(me)
		if !v.ReadsSettings() && !opens {
			continue
		}
		x := wire.TeamRule{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Roles: []wire.Ref{}, People: f.People, Guests: guests(v, f), MaxMembers: f.MaxMembers, Teams: open[f.ID], MayOpen: opens && !v.Past, Ended: f.Ended}
		if v.ReadsSettings() {
			x.Filter, x.FilterWords = f.Filter, s.FilterWords(f.Filter)
		}
		for _, r := range f.Roles {
			x.Roles = append(x.Roles, v.RoleRef(r, opens))
		}
		out.Rules = append(out.Rules, x)
	}
	slices.SortStableFunc(out.Rules, func(a, b wire.TeamRule) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Ended), seeing.Order(b.Ended)), strings.Compare(a.Label, b.Label))
	})
	return out
}

// HasTeams says whether the caller may open a team, or is in one.
func HasTeams(v *seeing.View) bool {
	s, me := v.UncutToday(), v.UncutToday().User(v.Caller.User)
	return me != nil && (slices.ContainsFunc(record.TeamRules(s), func(f *fact.TeamRule) bool { return f.Chooses(me) }) ||
		slices.ContainsFunc(s.JoinedTo(fact.Member{User: me.ID}), func(l access.Link) bool { f := record.Team(s, l.Group()); return f != nil && !f.Ended }))
}

func guests(v *seeing.View, f *fact.TeamRule) *wire.Guest {
	if !f.Invites {
		return nil
	}
	out := &wire.Guest{Unit: f.Guests.Unit, Employment: f.Guests.Employment, Company: f.Guests.Company, Days: f.Guests.Days}
	if f.Sponsor != 0 {
		sponsor := v.UserRef(f.Sponsor)
		out.Sponsor = &sponsor
	}
	return out
}

// Teams are the teams that the caller may read, and those they own or are in: whoever is in one
// knows who manages it, and no more. Who is in it is told of those that the caller manages, and of the one asked
// for, by key or id.
func Teams(v *seeing.View, group string) (wire.TeamList, error) {
	out := wire.TeamList{Basis: v.Basis(), Teams: []wire.Team{}}
	s, me := v.Uncut(), v.Caller.User
	var mine []fact.GroupID // once, however many teams there are
	if me != 0 {
		mine = s.GroupsAt(nil, me, v.At)
	}
	for _, f := range access.RecordFactsOf[*fact.Team](s, fact.FactTeam) {
		in := !f.Ended && slices.Contains(mine, f.Group)
		g, rule := s.Group(f.Group), record.TeamRule(s, f.Rule)
		if g == nil || rule == nil || !v.ReadsGroup(f.Group) && !in && (me == 0 || g.Owner != me) || group != "" && group != g.Key && group != g.ID.String() {
			continue
		}
		out.Teams = append(out.Teams, team(v, f, g, rule, group != ""))
	}
	if group != "" && len(out.Teams) == 0 {
		return out, v.Missing(fact.FactTeam, group)
	}
	slices.SortStableFunc(out.Teams, func(a, b wire.Team) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Closed), seeing.Order(b.Closed)), cmp.Compare(seeing.Order(!a.Mine), seeing.Order(!b.Mine)), strings.Compare(a.Group.Label, b.Group.Label))
	})
	return out, nil
}

func team(v *seeing.View, f *fact.Team, g *fact.Group, rule *fact.TeamRule, whole bool) wire.Team {
	s := v.Uncut()
	x := wire.Team{Group: wire.Ref{ID: g.ID.String(), Key: g.Key, Label: g.Label}, Description: g.Description, Rule: wire.Ref{ID: rule.ID.String(), Key: rule.Key, Label: rule.Label},
		MaxMembers: rule.MaxMembers, Members: []wire.TeamMember{}, Roles: []wire.TeamRole{}, Guests: guests(v, rule), Closed: f.Ended, May: []string{},
		Mine: !v.Past && record.ManagedTeam(v.UncutToday(), v.Caller.User, f.Group) != nil}
	if owner := s.User(g.Owner); owner != nil {
		owns := seeing.RefTo(owner)
		x.Owner = &owns
		switch {
		case f.Ended || owner.ID != v.Caller.User && !v.ReadsGroup(f.Group): // why is not for everybody in it
		case rule.Ended:
			x.Rests = "The rule has ended: teams like it are managed by access administrators."
		case !rule.Chooses(owner):
			x.Rests = "The rule does not choose its owner any more: name another one."
		}
	} else if !f.Ended {
		x.Rests = "It has no owner: name one."
	}
	if !v.ReadsGroup(f.Group) {
		return x
	}
	x.Count = s.MemberCount(f.Group)
	writes := v.Rights().May(access.ActUpdate, v.UncutToday().GroupPath(f.Group))
	for _, act := range []struct {
		verb string
		may  bool
	}{{"members", writes || x.Mine}, {"invite", x.Mine && rule.Invites}, {"roles", x.Mine}, {"edit", writes || x.Mine}, {"close", writes || x.Mine}} {
		if act.may && !v.Past && !f.Ended {
			x.May = append(x.May, act.verb)
		}
	}
	if !x.Mine && !whole {
		return x
	}
	for _, m := range s.Members(f.Group) {
		u := s.User(m.Member.User)
		if u == nil {
			continue
		}
		t := wire.TeamMember{User: v.UserRef(u.ID), Owner: u.ID == g.Owner}
		if v.ReadsUser(u.ID) {
			t.Status = string(u.Status)
		}
		x.Members = append(x.Members, t)
	}
	slices.SortStableFunc(x.Members, func(a, b wire.TeamMember) int {
		return cmp.Or(cmp.Compare(seeing.Order(!a.Owner), seeing.Order(!b.Owner)), strings.Compare(a.User.Label, b.User.Label))
	})
	x.Roles = teamRoles(v, f, rule)
	return x
}

// teamRoles are the roles that a team holds, and those that it could be given.
func teamRoles(v *seeing.View, f *fact.Team, rule *fact.TeamRule) []wire.TeamRole {
	out := []wire.TeamRole{}
	given := map[fact.RoleID]bool{}
	for _, l := range v.Uncut().GivenTo(fact.Assignee{Group: f.Group}) {
		a := v.Uncut().Assignment(l.Assignment())
		if !v.ReadsRole(a.Role) || v.Over(a.Window) {
			continue
		}
		given[a.Role] = true
		out = append(out, wire.TeamRole{Role: v.RoleRef(a.Role, true), Assignment: a.ID.String(), Chosen: slices.Contains(rule.Roles, a.Role)})
	}
	if !f.Ended && !rule.Ended {
		for _, r := range rule.Roles {
			if !given[r] && v.ReadsRole(r) {
				out = append(out, wire.TeamRole{Role: v.RoleRef(r, true), Chosen: true})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b wire.TeamRole) int { return strings.Compare(a.Role.Label, b.Role.Label) })
	return out
}

// isTeam says whether a group is managed as a team.
func isTeam(v *seeing.View, id fact.GroupID) bool {
	f := record.Team(v.Uncut(), id)
	return f != nil && !f.Ended
}
