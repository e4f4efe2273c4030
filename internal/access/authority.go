package access

import (
	"cmp"
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// Authority is what a caller may do in Able Roster itself at an instant, kept
// apart by the assignment that gives it: a change needs "assign" on the role
// and on the user through one and the same, and what is passed on lies within one.
// It may be read by several goroutines.
type Authority struct {
	Caller UserID
	at     calendar.Instant
	s      *Snapshot
	rights []adminRight
	all    map[string][]Area // over all parts, by action
}

// part is what one assignment of the caller lets them do.
type adminRight struct {
	given *Assignment
	may   map[string][]Area // by action
}

// Authority compiles what a caller may do.
func (s *Snapshot) Authority(caller UserID, at calendar.Instant) *Authority {
	a := &Authority{Caller: caller, at: at, s: s, all: map[string][]Area{}}
	s.assignmentsAt(caller, at, func(f *Assignment) {
		p := adminRight{f, s.administers(f)}
		for act, parts := range p.may {
			for _, x := range parts {
				a.all[act] = widen(a.all[act], x)
			}
		}
		if len(p.may) > 0 {
			a.rights = append(a.rights, p)
		}
	})
	return a
}

// administers is what an assignment gives in Able Roster, by action.
func (s *Snapshot) administers(f *Assignment) map[string][]Area {
	out := map[string][]Area{}
	for _, r := range s.roles.At(int(f.Role)).closure {
		for _, id := range s.roles.At(int(r)).permissions {
			perm := s.permissions.At(int(id)).fact
			if perm.Application != AbleRoster || perm.Own {
				continue
			}
			for _, act := range s.Application(AbleRoster).Actions {
				if perm.gives(act.Key) {
					out[act.Key] = s.widenBy(out[act.Key], f, perm, act.Key)
				}
			}
		}
	}
	return out
}

// May says whether the caller may do an action on a path of able-roster.
func (a *Authority) May(action, path string) bool { return Reaches(a.all[action], path) }

// Reach is where the caller may do an action.
func (a *Authority) Reach(action string) []Area { return a.all[action] }

// MayReadUser says whether the caller may read a user: everybody may read
// themselves.
func (a *Authority) MayReadUser(s *Snapshot, id UserID) bool {
	return id == a.Caller && id != 0 || a.May(ActRead, s.UserPath(id))
}

// ReadsAllUsers says whether the caller may read everybody, without a look at
// each; false where that takes one.
func (a *Authority) ReadsAllUsers() bool {
	return slices.ContainsFunc(a.all[ActRead], func(p Area) bool { return len(p.Except) == 0 && patterns.Covers(p.Pattern, "users") })
}

// mayAssign says whether one and the same assignment of the caller lets them
// assign on the role and the user of a gain, within its own scopes.
func (a *Authority) mayAssign(s *Snapshot, g *RoleGain) bool {
	role, user := s.RolePath(g.Role), cmp.Or(g.Within, "users")
	if g.User != 0 {
		user = s.UserPath(g.User)
	}
	return slices.ContainsFunc(a.rights, func(p adminRight) bool {
		return Reaches(p.may[ActAssign], role) && reachesAll(p.may[ActAssign], user) && p.bounds(s, g) &&
			(g.Also == 0 || reachesAll(p.may[ActAssign], patterns.Join("roles", s.Application(g.Also).Key)))
	})
}

// reachesAll says whether one of the parts covers a path and all below it.
func reachesAll(parts []Area, path string) bool {
	want := Area{Pattern: path}
	return slices.ContainsFunc(parts, func(p Area) bool { return p.contains(&want) })
}

// bounds says whether what is gained stays within the scopes the caller's
// assignment has in the applications of the role. Scopes on able-roster alone
// say which users and roles, and bound nothing else.
func (p *adminRight) bounds(s *Snapshot, g *RoleGain) bool {
	for _, r := range s.roles.At(int(g.Role)).rules {
		var own []string
		for _, x := range p.given.Scopes {
			if x.Application == r.app && r.app != AbleRoster {
				own = append(own, x.Pattern)
			}
		}
		if len(own) == 0 {
			continue
		}
		for _, pattern := range narrowed(r.app, r.pattern, g.Scopes) {
			if !slices.ContainsFunc(own, func(o string) bool { return patterns.Contains(o, pattern) }) {
				return false
			}
		}
	}
	return true
}

// mayPassOn says whether all that a role gives in Able Roster, with what it includes,
// lies within one assignment of the caller: what that lets them do, and when.
func (a *Authority) mayPassOn(s *Snapshot, g *RoleGain) bool {
	gives := s.administers(&Assignment{Role: g.Role, Scopes: g.Scopes})
	return len(gives) == 0 || slices.ContainsFunc(a.rights, func(p adminRight) bool {
		return p.contains(gives) && a.lasts(&p, g)
	})
}

// contains says whether a part lets do all that is given.
func (p *adminRight) contains(gives map[string][]Area) bool {
	for act, parts := range gives {
		for i := range parts {
			if !slices.ContainsFunc(p.may[act], func(q Area) bool { return q.contains(&parts[i]) }) {
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
		mine = a.s.groupIntervals(a.Caller)[group].Within(p.given.Window)
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
	for _, g := range gains {
		switch {
		case !a.mayAssign(&d.Snapshot, &g):
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
	return out
}
