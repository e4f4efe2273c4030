package query

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
)

// Holding is how many hold a role, now or later.
type Holding struct {
	Users int         // effective ones
	Least fact.UserID // the one with the lowest id, 0 for none
	Wide  bool        // everybody does, through all-users or public
}

// RoleHoldings counts who holds each of some roles at an instant or later, in
// whatever way: through no assignment and no membership whose window is over.
func RoleHoldings(s *access.Snapshot, roles []fact.RoleID, at calendar.Instant) []Holding {
	out := make([]Holding, len(roles))
	c := counting{s: s, at: at, seen: make([]uint64, s.UserTable.Len()/64+1)}
	for i, r := range roles {
		out[i] = c.count(r)
	}
	return out
}

type counting struct {
	s    *access.Snapshot
	at   calendar.Instant
	seen []uint64 // of the role that is counted
	out  Holding
}

func (c *counting) count(id fact.RoleID) Holding {
	clear(c.seen)
	c.out = Holding{}
	groups, roles := map[fact.GroupID]bool{}, map[fact.RoleID]bool{}
	todo := []fact.RoleID{id}
	for len(todo) > 0 {
		rec := c.s.RoleTable.At(int(todo[0]))
		r := todo[0]
		todo = todo[1:]
		if rec == nil || rec.Fact == nil || rec.Fact.Retired || roles[r] {
			continue
		}
		roles[r] = true
		for i := range rec.Holders.Len() {
			a := c.s.AssignmentTable.At(int(rec.Holders.Get(i)))
			if a.Limits != nil && a.Limits.Window.Over(c.at) {
				continue
			}
			if to := a.To.Member(); to.User != 0 {
				c.user(to.User)
			} else {
				c.group(to.Group, groups)
			}
		}
		for _, in := range rec.IncludedBy {
			todo = append(todo, c.s.InclusionTable.At(int(in)).Fact.Role)
		}
	}
	return c.out
}

func (c *counting) user(id fact.UserID) {
	bit := uint64(1) << (id & 63)
	if c.seen[id>>6]&bit != 0 {
		return
	}
	c.seen[id>>6] |= bit
	u := c.s.UserTable.At(int(id))
	if u == nil || !c.s.Counts(u, c.at) {
		return
	}
	c.out.Users++
	if c.out.Least == 0 || id < c.out.Least {
		c.out.Least = id
	}
}

func (c *counting) group(id fact.GroupID, seen map[fact.GroupID]bool) {
	if seen[id] {
		return
	}
	seen[id] = true
	if id == fact.PublicGroup || id == fact.AllUsersGroup {
		c.out.Wide = true
		c.s.EachMember(id, nil, c.user)
		return
	}
	g := c.s.GroupTable.At(int(id))
	if g == nil {
		return
	}
	if g.Rule != nil {
		c.s.EachChosen(id, c.user)
	}
	for i := range g.Members.Len() {
		m := c.s.MembershipTable.At(int(g.Members.Get(i)))
		if m.Window != nil && m.Window.Over(c.at) {
			continue
		}
		if to := m.Member.Member(); to.User != 0 {
			c.user(to.User)
		} else {
			c.group(to.Group, seen)
		}
	}
}

// boundless says whether limits that began in the past limit nothing any more.
func boundless(l access.Limits, at calendar.Instant) bool {
	return l.Window.Until == 0 && l.Window.From <= at && len(l.Scopes) == 0 && l.Schedule == nil
}

// HoldsAnything says whether a user holds any role of their own, now or later,
// beyond what everybody has: the quick answer, where windows leave no doubt,
// needs no more than a look at their record.
func HoldsAnything(s *access.Snapshot, id fact.UserID, at calendar.Instant) bool {
	u := s.UserTable.At(int(id))
	for _, g := range u.Given() {
		if g.Plain() || !s.LimitsOf(g).Window.Over(at) {
			return true
		}
	}
	for _, j := range u.Groups() {
		if !j.Plain() && s.WindowOf(j).Over(at) {
			continue
		}
		g := s.GroupTable.At(int(j.Group()))
		if slices.ContainsFunc(g.Above.Given(), access.Link.Plain) {
			return true
		}
		if g.Winding || g.Above.NGiven > 0 {
			for _, h := range held.RolesOf(s, id, held.OwnGroups) {
				if len(h.When.Within(calendar.Window{From: at})) > 0 {
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
func Doubled(s *access.Snapshot, id fact.UserID, at calendar.Instant, yield func(fact.AssignmentID, fact.GroupID)) {
	u := s.UserTable.At(int(id))
	gives := func(all []access.Link, role fact.RoleID) bool {
		return slices.ContainsFunc(all, func(y access.Link) bool {
			return y.Plain() && slices.Contains(s.RoleTable.At(int(y.Role())).Closure, role)
		})
	}
	for _, x := range u.Given() {
		if s.AssignmentTable.At(int(x.ID)).Rule != 0 || !x.Plain() && !boundless(s.LimitsOf(x), at) {
			continue
		}
		if u.Person && gives(s.GroupTable.At(int(fact.AllUsersGroup)).Given, x.Role()) {
			yield(x.Assignment(), fact.AllUsersGroup)
			continue
		}
		for _, j := range u.Groups() {
			if j.Plain() && gives(s.GroupTable.At(int(j.Group())).Above.Given(), x.Role()) {
				yield(x.Assignment(), j.Group())
				break
			}
		}
	}
}

// DirectTo calls yield for each assignment a user has themselves of a role of an
// application, given by hand or an import.
func DirectTo(s *access.Snapshot, id fact.UserID, yield func(fact.AssignmentID, fact.RoleID, fact.ApplicationID)) {
	for _, x := range s.UserTable.At(int(id)).Given() {
		a := s.AssignmentTable.At(int(x.ID))
		if o := fact.Origins[a.Origin]; o != fact.Manual && o != fact.Import {
			continue
		}
		if app := s.RoleTable.At(int(x.Role())).Fact.Application; app != 0 {
			yield(x.Assignment(), x.Role(), app)
		}
	}
}

// Over calls yield for each assignment whose window has ended by an instant. Those of default
// rules are left out: what a rule gives by date is nobody's to revoke.
func Over(s *access.Snapshot, at calendar.Instant, yield func(fact.AssignmentID)) {
	for i := range s.AssignmentTable.Len() {
		if a := s.AssignmentTable.At(i); a != nil && a.Role != 0 && a.Rule == 0 && a.Limits != nil && a.Limits.Window.Over(at) {
			yield(fact.AssignmentID(i))
		}
	}
}

// mostTouched is from how many users on that changed all roles are held
// otherwise, as far as it is worth finding out.
const mostTouched = 5000

// HeldOtherwise are the roles that may be held by others than in an older
// snapshot, or give something else; all is true when so much has changed that
// they may be any.
func HeldOtherwise(s *access.Snapshot, older *access.Snapshot) (roles map[fact.RoleID]bool, all bool) {
	if !s.ClosesAlike(older) {
		return nil, true
	}
	roles = map[fact.RoleID]bool{}
	both := func(do func(*access.Snapshot)) { do(s); do(older) }
	add := func(x *access.Snapshot, id fact.RoleID) {
		if r := x.RoleTable.At(int(id)); r != nil {
			for _, c := range r.Closure {
				roles[c] = true
			}
		}
		roles[id] = true
	}
	for i := range s.RoleTable.Differ(&older.RoleTable) {
		if r := s.RoleTable.At(i); r != nil && r.Touched > older.Revision {
			both(func(x *access.Snapshot) { add(x, fact.RoleID(i)) })
		}
	}
	groups := map[fact.GroupID]bool{}
	for i := range s.GroupTable.Differ(&older.GroupTable) {
		if g := s.GroupTable.At(i); g != nil && g.Fact != nil && g.Touched > older.Revision {
			groups[fact.GroupID(i)] = true
		}
	}
	changed := 0
	for i := range s.UserTable.Differ(&older.UserTable) {
		u := s.UserTable.At(i)
		if u == nil || u.Fact == nil || u.Touched <= older.Revision {
			continue
		}
		if changed++; changed > mostTouched {
			return nil, true
		}
		both(func(x *access.Snapshot) {
			u := x.UserTable.At(i)
			if u == nil || u.Fact == nil {
				return
			}
			for _, g := range u.Given() {
				add(x, g.Role())
			}
			for _, j := range u.Groups() {
				groups[j.Group()] = true
			}
			if u.Person {
				groups[fact.AllUsersGroup] = true
			}
			groups[fact.PublicGroup] = true
		})
	}
	for g := range groups {
		both(func(x *access.Snapshot) {
			if x.GroupTable.At(int(g)) == nil {
				return
			}
			for _, h := range held.RolesOfChosen(x, g) {
				roles[h.Role] = true
			}
		})
	}
	return roles, false
}

// DescribedOtherwise says whether an application, or what any role gives in it,
// differs from an older snapshot.
func DescribedOtherwise(s *access.Snapshot, older *access.Snapshot, id fact.ApplicationID) bool {
	a, b := s.ApplicationTable.At(int(id)), older.ApplicationTable.At(int(id))
	return a == nil || b == nil || a.Touched != b.Touched || a.Fits != b.Fits
}

// RolesDescribedAlike says whether no role differs from an older snapshot in
// what it is, gives or includes.
func RolesDescribedAlike(s *access.Snapshot, older *access.Snapshot) bool {
	for i := range s.RoleTable.Differ(&older.RoleTable) {
		if r := s.RoleTable.At(i); r != nil && r.Touched > older.Revision {
			return false
		}
	}
	return true
}

// ApplicationsDescribedSince are those that differ from an older snapshot.
func ApplicationsDescribedSince(s *access.Snapshot, older *access.Snapshot) []fact.ApplicationID {
	var out []fact.ApplicationID
	for i := range s.ApplicationTable.Differ(&older.ApplicationTable) {
		if s.ApplicationTable.At(i) != nil && DescribedOtherwise(s, older, fact.ApplicationID(i)) {
			out = append(out, fact.ApplicationID(i))
		}
	}
	return out
}

// IsOver says whether the window of an assignment has ended by an instant.
func IsOver(s *access.Snapshot, id fact.AssignmentID, at calendar.Instant) bool {
	a := s.AssignmentTable.At(int(id))
	return a != nil && a.Limits != nil && a.Limits.Window.Over(at)
}

// UnknownPath says whether a path is neither registered nor below an open
// resource.
func UnknownPath(s *access.Snapshot, id fact.ApplicationID, path string) bool {
	_, known := s.Known(s.ApplicationTable.At(int(id)), path)
	return !known
}
