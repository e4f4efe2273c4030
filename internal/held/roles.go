package held

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Role is a role that a user holds on some bounds, and when.
type Role struct {
	Role fact.RoleID
	fact.Bounds
	Text string // of the bounds
	When calendar.Intervals
}

// Roles are roles each of which stands once for each of the bounds it is
// held on. Nobody holds so many that a map would find one sooner.
type Roles []Role

// Find is the role on bounds of some text, or nil.
func (all Roles) Find(role fact.RoleID, text string) *Role {
	for i := range all {
		if all[i].Role == role && all[i].Text == text {
			return &all[i]
		}
	}
	return nil
}

// Add adds a role and all it includes, on bounds, for a time.
func (all Roles) Add(s *access.Snapshot, role fact.RoleID, t fact.Bounds, when calendar.Intervals) Roles {
	text := t.String()
	for _, r := range s.RoleTable.At(int(role)).Closure {
		if h := all.Find(r, text); h != nil {
			h.When = h.When.Union(when)
		} else {
			all = append(all, Role{r, t, text, when})
		}
	}
	return all
}

// AnyGroup lets every group count.
func AnyGroup(fact.GroupID) bool { return true }

// OwnGroups says whether a group is one of the organisation's, and not built in.
func OwnGroups(g fact.GroupID) bool { return g != fact.PublicGroup && g != fact.AllUsersGroup }

// RolesOf are the roles a user holds, by assignment to any principal whose
// group counts and by inclusion, clipped to when the user counts.
func RolesOf(s *access.Snapshot, id fact.UserID, counts func(fact.GroupID) bool) Roles {
	return rolesBut(s, id, counts, nil)
}

// RolesAmong is RolesOf of what is given of some roles alone, with what these include.
func RolesAmong(s *access.Snapshot, id fact.UserID, counts func(fact.GroupID) bool, roles func(fact.RoleID) bool) Roles {
	return rolesWithin(s, id, s.WhenEffective(id), counts, roles, nil)
}

// anyRole lets every role count.
func anyRole(fact.RoleID) bool { return true }

// rolesBut leaves out what but names, by whether it is given on an authority
// other than a change's author and by the revision that opened it; nil for
// none.
func rolesBut(s *access.Snapshot, id fact.UserID, counts func(fact.GroupID) bool, but func(elsewhere bool, opened int64) bool) Roles {
	return rolesWithin(s, id, s.WhenEffective(id), counts, anyRole, but)
}

// SponsoredRolesOf is rolesBut, of whoever a sponsor may extend or open access of as if they
// had done so for good: who gives such a user something is judged by that, since what the
// sponsor does later is not.
func SponsoredRolesOf(s *access.Snapshot, id fact.UserID, counts func(fact.GroupID) bool, but func(elsewhere bool, opened int64) bool) Roles {
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil || u.Fact.Status != fact.Active {
		return rolesBut(s, id, counts, but)
	}
	t := s.EmploymentTypeOf(u.Fact)
	if t == nil || !t.Closed && (!t.External || t.MaxDays == 0) {
		return rolesBut(s, id, counts, but)
	}
	w := calendar.Window{}
	if u.Fact.Start != 0 {
		w.From = u.Fact.Start.Begins(s.Zone())
	}
	if u.Fact.End != 0 && !(t.External && t.MaxDays > 0) {
		w.Until = (u.Fact.End + 1).Begins(s.Zone())
	}
	if w.From >= w.End() {
		return nil
	}
	return rolesWithin(s, id, calendar.Intervals{w}, counts, anyRole, but)
}

func rolesWithin(s *access.Snapshot, id fact.UserID, effective calendar.Intervals, counts func(fact.GroupID) bool, roles func(fact.RoleID) bool, but func(elsewhere bool, opened int64) bool) Roles {
	if len(effective) == 0 {
		return nil
	}
	out := make(Roles, 0, 16)
	hold := func(from calendar.Intervals, all []access.Link) {
		for _, g := range all {
			if !roles(g.Role()) {
				continue
			}
			if but != nil {
				if a := s.AssignmentTable.At(int(g.ID)); but(a.Rule != 0 || fact.Origins[a.Origin] == fact.ByRequest || fact.Origins[a.Origin] == fact.ByShare, a.Opened) {
					continue
				}
			}
			l := s.LimitsOf(g)
			when := from.Within(l.Window).Intersect(effective)
			if len(when) == 0 {
				continue
			}
			out = out.Add(s, g.Role(), l.Bounds(), when)
		}
	}
	if u := s.UserTable.At(int(id)); id != 0 && u != nil {
		hold(calendar.Always(), u.Given())
	}
	for g, when := range groupIntervalsBut(s, id, but) {
		if r := s.GroupTable.At(int(g)); r != nil && counts(g) {
			hold(when, r.Given)
		}
	}
	return out
}

// RoleIntervals is when a user holds each role, on whatever bounds.
func RoleIntervals(s *access.Snapshot, id fact.UserID) map[fact.RoleID]calendar.Intervals {
	out := map[fact.RoleID]calendar.Intervals{}
	for _, h := range RolesOf(s, id, AnyGroup) {
		out[h.Role] = out[h.Role].Union(h.When)
	}
	return out
}

// HasRole says whether a user holds a role at an instant, on whatever bounds
// and through whatever.
func HasRole(s *access.Snapshot, id fact.UserID, role fact.RoleID, at calendar.Instant) bool {
	return RoleIntervals(s, id)[role].Holds(at)
}

// RolesOfAnybody are the roles held by all-users or public, by role and bounds.
func RolesOfAnybody(s *access.Snapshot) Roles {
	var out Roles
	for _, g := range []fact.GroupID{fact.PublicGroup, fact.AllUsersGroup} {
		for _, x := range s.GroupTable.At(int(g)).Given {
			l := s.LimitsOf(x)
			out = out.Add(s, x.Role(), l.Bounds(), calendar.Always())
		}
	}
	return out
}

// RolesOfChosen are the roles whoever a group chooses comes to hold, at whatever
// time: its own and those of every group above it, by role and bounds.
func RolesOfChosen(s *access.Snapshot, id fact.GroupID) Roles {
	out := RolesOfGroup(s, id)
	for i := range out {
		out[i].When = calendar.Always()
	}
	return out
}

// RolesOfGroup are the roles a group gives to whoever is in it, and when: its own and
// those of every group above it, by role and bounds.
func RolesOfGroup(s *access.Snapshot, id fact.GroupID) Roles {
	var out Roles
	reached := map[fact.GroupID]calendar.Intervals{id: calendar.Always()}
	for todo := []fact.GroupID{id}; len(todo) > 0; todo = todo[1:] {
		g := s.GroupTable.At(int(todo[0]))
		if g == nil || g.Fact == nil {
			continue
		}
		from := reached[todo[0]]
		for _, x := range g.Given {
			l := s.LimitsOf(x)
			if when := from.Within(l.Window); len(when) > 0 {
				out = out.Add(s, x.Role(), l.Bounds(), when)
			}
		}
		for _, j := range g.Parents {
			when := from.Within(s.WindowOf(j))
			if up := j.Group(); len(when.Minus(reached[up])) > 0 {
				reached[up] = reached[up].Union(when)
				todo = append(todo, up)
			}
		}
	}
	return out
}
