package access

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Bounds are what limits an assignment besides its window: equal texts mean
// equal bounds, and none at all is blank.
type Bounds struct {
	Scopes   []fact.Scope
	Schedule *calendar.Schedule
}

// BoundsOf are the bounds of an assignment.
func BoundsOf(f *fact.Assignment) Bounds { return Bounds{f.Scopes, f.Schedule} }
func (l *Limits) Bounds() Bounds         { return Bounds{l.Scopes, l.Schedule} }

// String is a text that equal bounds share.
func (t Bounds) String() string {
	if len(t.Scopes) == 0 && t.Schedule == nil {
		return ""
	}
	parts := make([]string, 0, len(t.Scopes)+1)
	for _, x := range t.Scopes {
		parts = append(parts, fmt.Sprint(x.Application, " ", x.Pattern))
	}
	slices.Sort(parts)
	return strings.Join(append(parts, t.Schedule.String()), "\n")
}

// heldRole is a role that a user holds on some bounds, and when.
type heldRole struct {
	Role fact.RoleID
	Bounds
	Text string // of the bounds
	When calendar.Intervals
}

// HeldRoles are roles each of which stands once for each of the bounds it is
// held on. Nobody holds so many that a map would find one sooner.
type HeldRoles []heldRole

// Find is the role on bounds of some text, or nil.
func (all HeldRoles) Find(role fact.RoleID, text string) *heldRole {
	for i := range all {
		if all[i].Role == role && all[i].Text == text {
			return &all[i]
		}
	}
	return nil
}

// Add adds a role and all it includes, on bounds, for a time.
func (all HeldRoles) Add(s *Snapshot, role fact.RoleID, t Bounds, when calendar.Intervals) HeldRoles {
	text := t.String()
	for _, r := range s.RoleTable.At(int(role)).Closure {
		if h := all.Find(r, text); h != nil {
			h.When = h.When.Union(when)
		} else {
			all = append(all, heldRole{r, t, text, when})
		}
	}
	return all
}

// AnyGroup lets every group count, ownGroups not those everybody is in.
func AnyGroup(fact.GroupID) bool { return true }

// OwnGroups says whether a group is one of the organisation's, and not built in.
func OwnGroups(g fact.GroupID) bool { return g != fact.PublicGroup && g != fact.AllUsersGroup }

// HeldRoles are the roles a user holds, by assignment to any principal whose
// group counts and by inclusion, clipped to when the user counts.
func (s *Snapshot) HeldRoles(id fact.UserID, counts func(fact.GroupID) bool) HeldRoles {
	return s.HeldRolesBut(id, counts, nil)
}

// HeldRolesBut leaves out what but names, by whether it is given on an authority
// other than a change's author and by the revision that opened it; nil for
// none.
func (s *Snapshot) HeldRolesBut(id fact.UserID, counts func(fact.GroupID) bool, but func(elsewhere bool, opened int64) bool) HeldRoles {
	return s.heldRoles(id, s.WhenEffective(id), counts, but)
}

// SponsoredRoles is HeldRolesBut, of whoever a sponsor may extend or open access of as if they
// had done so for good: who gives such a user something is judged by that, since what the
// sponsor does later is not.
func (s *Snapshot) SponsoredRoles(id fact.UserID, counts func(fact.GroupID) bool, but func(elsewhere bool, opened int64) bool) HeldRoles {
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil || !u.active {
		return s.HeldRolesBut(id, counts, but)
	}
	t := s.EmploymentTypeOf(u.Fact)
	if t == nil || !t.Closed && (!t.External || t.MaxDays == 0) {
		return s.HeldRolesBut(id, counts, but)
	}
	w := calendar.Window{}
	if u.start != 0 {
		w.From = u.start.Begins(s.zone)
	}
	if u.end != 0 && !(t.External && t.MaxDays > 0) {
		w.Until = (u.end + 1).Begins(s.zone)
	}
	if w.From >= w.End() {
		return nil
	}
	return s.heldRoles(id, calendar.Intervals{w}, counts, but)
}

func (s *Snapshot) heldRoles(id fact.UserID, effective calendar.Intervals, counts func(fact.GroupID) bool, but func(elsewhere bool, opened int64) bool) HeldRoles {
	if len(effective) == 0 {
		return nil
	}
	out := make(HeldRoles, 0, 16)
	hold := func(from calendar.Intervals, all []Link) {
		for _, g := range all {
			if but != nil {
				if a := s.AssignmentTable.At(int(g.ID)); but(a.Rule != 0 || fact.Origins[a.Origin] == fact.ByRequest, a.opened) {
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
	for g, when := range s.groupIntervalsBut(id, but) {
		if r := s.GroupTable.At(int(g)); r != nil && counts(g) {
			hold(when, r.Given)
		}
	}
	return out
}

// RoleIntervals is when a user holds each role, on whatever bounds.
func (s *Snapshot) RoleIntervals(id fact.UserID) map[fact.RoleID]calendar.Intervals {
	out := map[fact.RoleID]calendar.Intervals{}
	for _, h := range s.HeldRoles(id, AnyGroup) {
		out[h.Role] = out[h.Role].Union(h.When)
	}
	return out
}

// HoldsRole says whether a user holds a role at an instant, on whatever bounds
// and through whatever.
func (s *Snapshot) HoldsRole(id fact.UserID, role fact.RoleID, at calendar.Instant) bool {
	return s.RoleIntervals(id)[role].Holds(at)
}

// AnybodysRoles are the roles held by all-users or public, by role and bounds.
func (s *Snapshot) AnybodysRoles() HeldRoles {
	var out HeldRoles
	for _, g := range []fact.GroupID{fact.PublicGroup, fact.AllUsersGroup} {
		for _, x := range s.GroupTable.At(int(g)).Given {
			l := s.LimitsOf(x)
			out = out.Add(s, x.Role(), l.Bounds(), calendar.Always())
		}
	}
	return out
}

// CompareScopes puts scopes in an order.
func CompareScopes(a, b []fact.Scope) int {
	return slices.CompareFunc(a, b, func(x, y fact.Scope) int {
		return cmp.Or(cmp.Compare(x.Application, y.Application), cmp.Compare(x.Pattern, y.Pattern))
	})
}
