package change

import (
	"cmp"
	"slices"
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
)

// Authority is what a caller may do in Able Roster itself at an instant, kept
// apart by the assignment that gives it: a change needs "assign" on the role
// and on the user through one and the same, and what is passed on lies within one.
// It may be read by several goroutines.
type Authority struct {
	Caller fact.UserID
	at     calendar.Instant
	s      *access.Snapshot
	rights []adminRight
	all    map[string][]patterns.Area // over all parts, by action
	teams  []managed                  // what they manage; see gainedInTeam
}

// part is what one assignment of the caller lets them do.
type adminRight struct {
	given *fact.Assignment
	may   map[string][]patterns.Area // by action
}

// AuthorityOf compiles what a caller may do.
func AuthorityOf(s *access.Snapshot, caller fact.UserID, at calendar.Instant) *Authority {
	a := &Authority{Caller: caller, at: at, s: s, all: map[string][]patterns.Area{}}
	query.AssignmentsAt(s, caller, at, func(f *fact.Assignment) {
		p := adminRight{f, administers(s, f)}
		for act, parts := range p.may {
			for _, x := range parts {
				a.all[act] = patterns.Widen(a.all[act], x)
			}
		}
		if len(p.may) > 0 {
			a.rights = append(a.rights, p)
		}
	})
	if s.Effective(caller, at) {
		a.teams = managedBy(s, caller)
	}
	for _, x := range reads(s, a.teams) {
		a.all[access.ActRead] = patterns.Widen(a.all[access.ActRead], x)
	}
	return a
}

// administers is what an assignment gives in Able Roster, by action.
func administers(s *access.Snapshot, f *fact.Assignment) map[string][]patterns.Area {
	return givesIn(s, f, fact.AbleRoster, false)
}

// givesIn is what an assignment gives in an application, by action; own says whether what it
// gives on one's own things alone counts.
func givesIn(s *access.Snapshot, f *fact.Assignment, app fact.ApplicationID, own bool) map[string][]patterns.Area {
	out := map[string][]patterns.Area{}
	widen := func(action string, perm *fact.Permission) {
		if areas := query.WidenBy(s, out[action], f, perm, action); len(areas) > 0 {
			out[action] = areas
		}
	}
	for _, r := range s.RoleTable.At(int(f.Role)).Closure {
		for _, id := range s.RoleTable.At(int(r)).Permissions {
			perm := s.PermissionTable.At(int(id)).Fact
			if perm.Application != app || perm.Own && !own {
				continue
			}
			for _, act := range s.Application(app).Actions {
				if access.Gives(perm, act.Key) {
					widen(act.Key, perm)
				}
			}
			if app != fact.AbleRoster && slices.Contains(perm.Actions, fact.AllActions) { // those declared later too
				widen(fact.AllActions, perm)
			}
		}
	}
	return out
}

// Same says whether two authorities of a caller come from the same assignments: while nothing
// of what these give was changed, they are the same.
func (a *Authority) Same(b *Authority) bool {
	return slices.EqualFunc(a.rights, b.rights, func(x, y adminRight) bool { return x.given.ID == y.given.ID }) &&
		slices.EqualFunc(a.teams, b.teams, func(x, y managed) bool { return x.group == y.group && x.rule == y.rule })
}

// May says whether the caller may do an action on a path of able-roster.
func (a *Authority) May(action, path string) bool { return patterns.Reaches(a.all[action], path) }

// Reach is where the caller may do an action.
func (a *Authority) Reach(action string) []patterns.Area { return a.all[action] }

// MayReadUser says whether the caller may read a user: everybody may read
// themselves, and whoever manages a team may read who is in it.
func (a *Authority) MayReadUser(s *access.Snapshot, id fact.UserID) bool {
	return id == a.Caller && id != 0 || a.May(access.ActRead, s.UserPath(id)) || a.inTeam(s, id)
}

// ReadsAllUsers says whether the caller may read everybody, without a look at
// each; false where that takes one.
func (a *Authority) ReadsAllUsers() bool {
	return slices.ContainsFunc(a.all[access.ActRead], func(p patterns.Area) bool { return len(p.Except) == 0 && patterns.Covers(p.Pattern, "users") })
}

// mayAssign says whether one and the same assignment of the caller lets them
// assign on the role and the user of a gain, within its own scopes.
func (a *Authority) mayAssign(s *access.Snapshot, g *RoleGain) bool {
	role, user := s.RolePath(g.Role), cmp.Or(g.Within, "users")
	if g.User != 0 {
		user = s.UserPath(g.User)
	}
	return slices.ContainsFunc(a.rights, func(p adminRight) bool {
		return patterns.Reaches(p.may[access.ActAssign], role) && reachesAll(p.may[access.ActAssign], user) && p.bounds(s, g) &&
			(g.Also == 0 || reachesAll(p.may[access.ActAssign], patterns.Join("roles", s.Application(g.Also).Key)))
	})
}

// reachesAll says whether one of the parts covers a path and all below it.
func reachesAll(parts []patterns.Area, path string) bool {
	want := patterns.Area{Pattern: path}
	return slices.ContainsFunc(parts, func(p patterns.Area) bool { return p.Contains(&want) })
}

// bounds says whether what is gained stays within the scopes the caller's
// assignment has in the applications of the role. Scopes on able-roster alone
// say which users and roles, and bound nothing else.
func (p *adminRight) bounds(s *access.Snapshot, g *RoleGain) bool {
	for _, r := range s.RoleTable.At(int(g.Role)).Rules {
		var own []string
		for _, x := range p.given.Scopes {
			if x.Application == r.App && r.App != fact.AbleRoster {
				own = append(own, x.Pattern)
			}
		}
		if len(own) == 0 {
			continue
		}
		for _, pattern := range fact.Narrowed(r.App, r.Pattern, g.Scopes) {
			if !slices.ContainsFunc(own, func(o string) bool { return patterns.Contains(o, pattern) }) {
				return false
			}
		}
	}
	return true
}

// mayPassOn says whether all that a role gives in Able Roster, with what it includes,
// lies within one assignment of the caller: what that lets them do, and when.
func (a *Authority) mayPassOn(s *access.Snapshot, g *RoleGain) bool {
	gives := administers(s, &fact.Assignment{Role: g.Role, Scopes: g.Scopes})
	return len(gives) == 0 || slices.ContainsFunc(a.rights, func(p adminRight) bool {
		return p.contains(gives) && a.lasts(&p, g)
	})
}

// contains says whether a part lets do all that is given.
func (p *adminRight) contains(gives map[string][]patterns.Area) bool {
	for act, parts := range gives {
		for i := range parts {
			if !slices.ContainsFunc(p.may[act], func(q patterns.Area) bool { return q.Contains(&parts[i]) }) {
				return false
			}
		}
	}
	return true
}

// lasts says whether a part of the caller's holds, whenever a gain does.
func (a *Authority) lasts(p *adminRight, g *RoleGain) bool {
	if p.given.Schedule != nil && !p.given.Schedule.Equal(g.Schedule) {
		return false
	}
	mine := calendar.Always().Within(p.given.Window)
	if group := p.given.Assignee.Group; group != 0 {
		mine = held.GroupIntervals(a.s, a.Caller)[group].Within(p.given.Window)
	}
	when := g.When
	if when == nil {
		when = calendar.Always().From(a.at)
	}
	return len(when.Minus(mine)) == 0
}

// Need is a right an operation asks of its author on able-roster.
type Need struct {
	Operation int // which operation, counted from 0
	Action    string
	Path      string
	What      string // in plain words: "update the group night-gate"
}

// Refusal says what the author of a draft lacks.
type Refusal struct {
	Need     *Need     // a right on the thing an operation names
	Gain     *RoleGain // or: a role somebody would come to hold
	PassedOn bool      // the gain carries rights in Able Roster the author lacks
}

// Judge says what the caller lacks to make a draft from an instant on, by its
// operations and by its effect. None means they may.
func (a *Authority) Judge(d *Draft, from calendar.Instant) []Refusal {
	return append(a.Lacks(d), a.LacksFor(d, d.RoleGains(from))...)
}

// LacksFor is what the caller lacks for the effect of a draft, which is its gains.
func (a *Authority) LacksFor(d *Draft, gains []RoleGain) []Refusal {
	var out []Refusal
	teams := sync.OnceValue(func() []managed { return a.teamsIn(d) })
	for _, g := range gains {
		switch {
		case !a.mayAssign(&d.Snapshot, &g) && !gainedInTeam(&d.Snapshot, teams(), &g, a.at):
			out = append(out, Refusal{Gain: &g})
		case !a.mayPassOn(&d.Snapshot, &g):
			out = append(out, Refusal{Gain: &g, PassedOn: true})
		}
	}
	return out
}

// Lacks are the rights the operations of a draft need and the caller has not.
func (a *Authority) Lacks(d *Draft) []Refusal {
	var out []Refusal
	for i, n := range d.Needs {
		if !a.May(n.Action, n.Path) {
			out = append(out, Refusal{Need: &d.Needs[i]})
		}
	}
	if len(d.guests) > 0 && len(d.Faults) == 0 { // what kept them out of the team is told instead
		out = append(out, a.notInvited(d, a.teamsIn(d))...)
	}
	return out
}

// teamsIn are the teams that the caller manages once a draft is made. Who makes it alone counts: in
// the draft of somebody else they may not have been asked for what they need.
func (a *Authority) teamsIn(d *Draft) []managed {
	if a.Caller != d.Author || !d.Effective(a.Caller, a.at) {
		return nil
	}
	return managedBy(&d.Snapshot, a.Caller)
}
