package access

import (
	"slices"

	"ableroster/internal/calendar"
)

// Holding is how many hold a role, now or later.
type Holding struct {
	Users int    // effective ones
	Least UserID // the one with the lowest id, 0 for none
	Wide  bool   // everybody does, through all-users or public
}

// RoleHoldings counts who holds each of some roles at an instant or later, in
// whatever way: through no assignment and no membership whose window is over.
func (s *Snapshot) RoleHoldings(roles []RoleID, at calendar.Instant) []Holding {
	out := make([]Holding, len(roles))
	c := counting{s: s, at: at, seen: make([]uint64, s.users.Len()/64+1)}
	for i, r := range roles {
		out[i] = c.count(r)
	}
	return out
}

type counting struct {
	s    *Snapshot
	at   calendar.Instant
	seen []uint64 // of the role that is counted
	out  Holding
}

func (c *counting) count(id RoleID) Holding {
	clear(c.seen)
	c.out = Holding{}
	groups, roles := map[GroupID]bool{}, map[RoleID]bool{}
	todo := []RoleID{id}
	for len(todo) > 0 {
		rec := c.s.roles.At(int(todo[0]))
		r := todo[0]
		todo = todo[1:]
		if rec == nil || rec.fact == nil || rec.fact.Retired || roles[r] {
			continue
		}
		roles[r] = true
		for i := range rec.holders.Len() {
			a := c.s.assignments.At(int(rec.holders.Get(i)))
			if a.limits != nil && a.limits.window.Over(c.at) {
				continue
			}
			if to := a.to.member(); to.User != 0 {
				c.user(to.User)
			} else {
				c.group(to.Group, groups)
			}
		}
		for _, in := range rec.includedBy {
			todo = append(todo, c.s.inclusions.At(int(in)).fact.Role)
		}
	}
	return c.out
}

func (c *counting) user(id UserID) {
	bit := uint64(1) << (id & 63)
	if c.seen[id>>6]&bit != 0 {
		return
	}
	c.seen[id>>6] |= bit
	u := c.s.users.At(int(id))
	if u == nil || !c.s.counts(u, c.at) {
		return
	}
	c.out.Users++
	if c.out.Least == 0 || id < c.out.Least {
		c.out.Least = id
	}
}

func (c *counting) group(id GroupID, seen map[GroupID]bool) {
	if seen[id] {
		return
	}
	seen[id] = true
	if id == PublicGroup || id == AllUsersGroup {
		c.out.Wide = true
		c.s.members(id, nil, c.user)
		return
	}
	g := c.s.groups.At(int(id))
	if g == nil {
		return
	}
	if g.rule != nil {
		c.s.chosenBy(id, c.user)
	}
	for i := range g.members.Len() {
		m := c.s.memberships.At(int(g.members.Get(i)))
		if m.window != nil && m.window.Over(c.at) {
			continue
		}
		if to := m.member.member(); to.User != 0 {
			c.user(to.User)
		} else {
			c.group(to.Group, seen)
		}
	}
}

// boundless says whether limits that began in the past limit nothing any more.
func (l limits) boundless(at calendar.Instant) bool {
	return l.window.Until == 0 && l.window.From <= at && len(l.scopes) == 0 && l.schedule == nil
}

// HoldsAnything says whether a user holds any role of their own, now or later,
// beyond what everybody has: the quick answer, where windows leave no doubt,
// needs no more than a look at their record.
func (s *Snapshot) HoldsAnything(id UserID, at calendar.Instant) bool {
	u := s.users.At(int(id))
	for _, g := range u.given() {
		if g.plain() || !s.limitsOf(g).window.Over(at) {
			return true
		}
	}
	for _, j := range u.groups() {
		if !j.plain() && s.windowOf(j).Over(at) {
			continue
		}
		g := s.groups.At(int(j.group()))
		if slices.ContainsFunc(g.above.given(), link.plain) {
			return true
		}
		if g.winding || g.above.nGiven > 0 {
			for _, h := range s.heldRoles(id, ownGroups) {
				if len(h.when.Within(calendar.Window{From: at})) > 0 {
					return true
				}
			}
			return false
		}
	}
	return false
}

// Doubled calls yield for each assignment in force on no bounds that a user has
// themselves though a group they are in always gives the same, with that group.
func (s *Snapshot) Doubled(id UserID, at calendar.Instant, yield func(AssignmentID, GroupID)) {
	u := s.users.At(int(id))
	gives := func(all []link, role RoleID) bool {
		return slices.ContainsFunc(all, func(y link) bool {
			return y.plain() && slices.Contains(s.roles.At(int(y.role())).closure, role)
		})
	}
	for _, x := range u.given() {
		if s.assignments.At(int(x.id)).rule != 0 || !x.plain() && !s.limitsOf(x).boundless(at) {
			continue
		}
		if u.person && gives(s.groups.At(int(AllUsersGroup)).given, x.role()) {
			yield(x.assignment(), AllUsersGroup)
			continue
		}
		for _, j := range u.groups() {
			if j.plain() && gives(s.groups.At(int(j.group())).above.given(), x.role()) {
				yield(x.assignment(), j.group())
				break
			}
		}
	}
}

// DirectTo calls yield for each assignment a user has themselves of a role of an
// application, given by hand or an import.
func (s *Snapshot) DirectTo(id UserID, yield func(AssignmentID, RoleID, ApplicationID)) {
	for _, x := range s.users.At(int(id)).given() {
		a := s.assignments.At(int(x.id))
		if o := origins[a.origin]; o != Manual && o != Import {
			continue
		}
		if app := s.roles.At(int(x.role())).fact.Application; app != 0 {
			yield(x.assignment(), x.role(), app)
		}
	}
}

// Over calls yield for each assignment whose window has ended by an instant.
func (s *Snapshot) Over(at calendar.Instant, yield func(AssignmentID)) {
	for i := range s.assignments.Len() {
		if a := s.assignments.At(i); a != nil && a.role != 0 && a.limits != nil && a.limits.window.Over(at) {
			yield(AssignmentID(i))
		}
	}
}

// mostTouched is from how many users on that changed all roles are held
// otherwise, as far as it is worth finding out.
const mostTouched = 5000

// HeldOtherwise are the roles that may be held by others than in an older
// snapshot, or give something else; all is true when so much has changed that
// they may be any.
func (s *Snapshot) HeldOtherwise(older *Snapshot) (roles map[RoleID]bool, all bool) {
	roles = map[RoleID]bool{}
	both := func(do func(*Snapshot)) { do(s); do(older) }
	add := func(x *Snapshot, id RoleID) {
		if r := x.roles.At(int(id)); r != nil {
			for _, c := range r.closure {
				roles[c] = true
			}
		}
		roles[id] = true
	}
	for i := range s.roles.Differ(&older.roles) {
		if r := s.roles.At(i); r != nil && r.touched > older.Revision {
			both(func(x *Snapshot) { add(x, RoleID(i)) })
		}
	}
	groups := map[GroupID]bool{}
	for i := range s.groups.Differ(&older.groups) {
		if g := s.groups.At(i); g != nil && g.fact != nil && g.touched > older.Revision {
			groups[GroupID(i)] = true
		}
	}
	changed := 0
	for i := range s.users.Differ(&older.users) {
		u := s.users.At(i)
		if u == nil || u.fact == nil || u.touched <= older.Revision {
			continue
		}
		if changed++; changed > mostTouched {
			return nil, true
		}
		both(func(x *Snapshot) {
			u := x.users.At(i)
			if u == nil || u.fact == nil {
				return
			}
			for _, g := range u.given() {
				add(x, g.role())
			}
			for _, j := range u.groups() {
				groups[j.group()] = true
			}
			if u.person {
				groups[AllUsersGroup] = true
			}
			groups[PublicGroup] = true
		})
	}
	for g := range groups {
		both(func(x *Snapshot) {
			if x.groups.At(int(g)) == nil {
				return
			}
			for _, h := range x.chosenRoles(g) {
				roles[h.role] = true
			}
		})
	}
	return roles, false
}

// DescribedOtherwise says whether an application, or what any role gives in it,
// differs from an older snapshot.
func (s *Snapshot) DescribedOtherwise(older *Snapshot, id ApplicationID) bool {
	a, b := s.applications.At(int(id)), older.applications.At(int(id))
	return a == nil || b == nil || a.touched != b.touched || a.fits != b.fits
}

// RolesDescribedAlike says whether no role differs from an older snapshot in
// what it is, gives or includes.
func (s *Snapshot) RolesDescribedAlike(older *Snapshot) bool {
	for i := range s.roles.Differ(&older.roles) {
		if r := s.roles.At(i); r != nil && r.touched > older.Revision {
			return false
		}
	}
	return true
}

// ApplicationsDescribedSince are those that differ from an older snapshot.
func (s *Snapshot) ApplicationsDescribedSince(older *Snapshot) []ApplicationID {
	var out []ApplicationID
	for i := range s.applications.Differ(&older.applications) {
		if s.applications.At(i) != nil && s.DescribedOtherwise(older, ApplicationID(i)) {
			out = append(out, ApplicationID(i))
		}
	}
	return out
}

// IsOver says whether the window of an assignment has ended by an instant.
func (s *Snapshot) IsOver(id AssignmentID, at calendar.Instant) bool {
	a := s.assignments.At(int(id))
	return a != nil && a.limits != nil && a.limits.window.Over(at)
}

// UnknownPath says whether a path is neither registered nor below an open
// resource.
func (s *Snapshot) UnknownPath(id ApplicationID, path string) bool {
	_, known := s.known(s.applications.At(int(id)), path)
	return !known
}
