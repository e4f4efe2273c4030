package access

import "slices"

// Authority is what a caller may do in Able Roster itself at an instant, kept
// apart by the assignment that gives it: a change needs "assign" on the role
// and on the user through one and the same.
type Authority struct {
	Caller UserID
	s      *Snapshot
	parts  []part
	all    map[string][]Part // over all parts, by action
}

// part is what one assignment of the caller lets them do.
type part struct {
	may    map[string][]Part // by action
	scopes []Scope           // the assignment's own, which bound what is passed on
}

// Authority compiles what a caller may do.
func (s *Snapshot) Authority(caller UserID, at Instant) *Authority {
	a := &Authority{Caller: caller, s: s, all: map[string][]Part{}}
	actions := s.Application(AbleRoster).Actions
	s.assignmentsAt(caller, at, func(f *Assignment) {
		p := part{map[string][]Part{}, f.Scopes}
		for _, r := range s.roles.At(int(f.Role)).closure {
			for _, id := range s.roles.At(int(r)).permissions {
				perm := s.permissions.At(int(id)).fact
				if perm.Application != AbleRoster || perm.Own {
					continue
				}
				for _, act := range actions {
					if perm.gives(act.Key) {
						p.may[act.Key] = s.widenBy(p.may[act.Key], f, perm, act.Key)
						a.all[act.Key] = s.widenBy(a.all[act.Key], f, perm, act.Key)
					}
				}
			}
		}
		if len(p.may) > 0 {
			a.parts = append(a.parts, p)
		}
	})
	return a
}

// May says whether the caller may do an action on a path of able-roster.
func (a *Authority) May(action, path string) bool { return Reaches(a.all[action], path) }

// Reach is where the caller may do an action.
func (a *Authority) Reach(action string) []Part { return a.all[action] }

// MayReadUser says whether the caller may read a user: everybody may read
// themselves.
func (a *Authority) MayReadUser(s *Snapshot, id UserID) bool {
	return id == a.Caller && id != 0 || a.May(ActRead, s.UserPath(id))
}

// ReadsAllUsers says whether the caller may read everybody, without a look at
// each; false where that takes one.
func (a *Authority) ReadsAllUsers() bool {
	return slices.ContainsFunc(a.all[ActRead], func(p Part) bool { return len(p.Except) == 0 && Covers(p.Pattern, "users") })
}

// mayAssign says whether one and the same assignment of the caller lets them
// assign on both paths, and give what is gained within its own scopes.
func (a *Authority) mayAssign(d *Draft, g RoleGain, role, user string) bool {
	for _, p := range a.parts {
		if Reaches(p.may[ActAssign], role) && Reaches(p.may[ActAssign], user) && p.bounds(d, g) {
			return true
		}
	}
	return false
}

// bounds says whether what is gained stays within the scopes the caller's
// assignment has in the applications of the role. Scopes on able-roster alone
// say which users and roles, and bound nothing else.
func (p *part) bounds(d *Draft, g RoleGain) bool {
	for _, r := range d.roles.At(int(g.Role)).rules {
		var own []string
		for _, x := range p.scopes {
			if x.Application == r.app && r.app != AbleRoster {
				own = append(own, x.Pattern)
			}
		}
		if len(own) == 0 {
			continue
		}
		for _, pattern := range narrowed(r.app, r.pattern, g.Scopes) {
			if !slices.ContainsFunc(own, func(o string) bool { return Contains(o, pattern) }) {
				return false
			}
		}
	}
	return true
}

// mayPassOn says whether the caller holds what a permission on able-roster
// would give.
func (a *Authority) mayPassOn(p *Permission) bool {
	for _, act := range a.s.Application(AbleRoster).Actions {
		if !p.gives(act.Key) {
			continue
		}
		ok := false
		want := Part{Pattern: p.Pattern}
		for _, q := range a.all[act.Key] {
			ok = ok || q.contains(&want)
		}
		if !ok {
			return false
		}
	}
	return true
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

// Judge says what the caller lacks to make a draft, by its operations and by
// its effect. None means they may.
func (a *Authority) Judge(d *Draft, touched []UserID, from Instant) []Refusal {
	var out []Refusal
	for i, n := range d.Needs {
		if !a.May(n.Action, n.Path) {
			out = append(out, Refusal{Need: &d.Needs[i]})
		}
	}
	for _, g := range d.RoleGains(touched, from) {
		user := "users" // a role for everybody needs the right on everybody
		if g.Within != "" {
			user = g.Within
		}
		if g.User != 0 {
			user = d.UserPath(g.User)
		}
		if !a.mayAssign(d, g, d.RolePath(g.Role), user) {
			out = append(out, Refusal{Gain: &g})
			continue
		}
		for _, p := range d.roles.At(int(g.Role)).permissions {
			perm := d.permissions.At(int(p)).fact
			if perm.Application == AbleRoster && !a.mayPassOn(perm) {
				out = append(out, Refusal{Gain: &g, PassedOn: true})
				break
			}
		}
	}
	return out
}

// HoldsAllOf says whether the caller holds all rights in Able Roster that a
// user holds: whoever sets another's password could act as them.
func (a *Authority) HoldsAllOf(id UserID, at Instant) bool {
	all := true
	a.s.reachable(id, at, func(_ *Assignment, p *Permission) {
		if p.Application == AbleRoster {
			all = all && a.mayPassOn(p)
		}
	})
	return all
}
