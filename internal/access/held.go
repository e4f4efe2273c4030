package access

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// bounds are what limits an assignment besides its window: equal texts mean
// equal bounds, and none at all is blank.
type bounds struct {
	scopes   []Scope
	schedule *calendar.Schedule
}

func (f *Assignment) bounds() bounds { return bounds{f.Scopes, f.Schedule} }
func (l *limits) bounds() bounds     { return bounds{l.scopes, l.schedule} }

func (t bounds) String() string {
	if len(t.scopes) == 0 && t.schedule == nil {
		return ""
	}
	parts := make([]string, 0, len(t.scopes)+1)
	for _, x := range t.scopes {
		parts = append(parts, fmt.Sprint(x.Application, " ", x.Pattern))
	}
	slices.Sort(parts)
	return strings.Join(append(parts, t.schedule.String()), "\n")
}

// heldRole is a role that a user holds on some bounds, and when.
type heldRole struct {
	role RoleID
	bounds
	text string // of the bounds
	when calendar.Intervals
}

// heldRoles are roles each of which stands once for each of the bounds it is
// held on. Nobody holds so many that a map would find one sooner.
type heldRoles []heldRole

// find is the role on bounds of some text, or nil.
func (all heldRoles) find(role RoleID, text string) *heldRole {
	for i := range all {
		if all[i].role == role && all[i].text == text {
			return &all[i]
		}
	}
	return nil
}

// add adds a role and all it includes, on bounds, for a time.
func (all heldRoles) add(s *Snapshot, role RoleID, t bounds, when calendar.Intervals) heldRoles {
	text := t.String()
	for _, r := range s.roles.At(int(role)).closure {
		if h := all.find(r, text); h != nil {
			h.when = h.when.Union(when)
		} else {
			all = append(all, heldRole{r, t, text, when})
		}
	}
	return all
}

// anyGroup lets every group count, ownGroups not those everybody is in.
func anyGroup(GroupID) bool    { return true }
func ownGroups(g GroupID) bool { return g != PublicGroup && g != AllUsersGroup }

// heldRoles are the roles a user holds, by assignment to any principal whose
// group counts and by inclusion, clipped to when the user counts.
func (s *Snapshot) heldRoles(id UserID, counts func(GroupID) bool) heldRoles {
	return s.heldRolesBut(id, counts, nil)
}

// heldRolesBut leaves out what but names, by whether it is given on an authority
// other than a change's author and by the revision that opened it; nil for
// none.
func (s *Snapshot) heldRolesBut(id UserID, counts func(GroupID) bool, but func(elsewhere bool, opened int64) bool) heldRoles {
	effective := s.effective(id)
	if len(effective) == 0 {
		return nil
	}
	out := make(heldRoles, 0, 16)
	hold := func(from calendar.Intervals, all []link) {
		for _, g := range all {
			if but != nil {
				if a := s.assignments.At(int(g.id)); but(a.rule != 0 || origins[a.origin] == ByRequest, a.opened) {
					continue
				}
			}
			l := s.limitsOf(g)
			when := from.Within(l.window).Intersect(effective)
			if len(when) == 0 {
				continue
			}
			out = out.add(s, g.role(), l.bounds(), when)
		}
	}
	if u := s.users.At(int(id)); id != 0 && u != nil {
		hold(calendar.Always(), u.given())
	}
	for g, when := range s.groupIntervalsBut(id, but) {
		if r := s.groups.At(int(g)); r != nil && counts(g) {
			hold(when, r.given)
		}
	}
	return out
}

// roleIntervals is when a user holds each role, on whatever bounds.
func (s *Snapshot) roleIntervals(id UserID) map[RoleID]calendar.Intervals {
	out := map[RoleID]calendar.Intervals{}
	for _, h := range s.heldRoles(id, anyGroup) {
		out[h.role] = out[h.role].Union(h.when)
	}
	return out
}

// HoldsRole says whether a user holds a role at an instant, on whatever bounds
// and through whatever.
func (s *Snapshot) HoldsRole(id UserID, role RoleID, at calendar.Instant) bool {
	return s.roleIntervals(id)[role].Holds(at)
}

// RoleGives says whether a role gives an action on a target, wherever it is held.
func (s *Snapshot) RoleGives(role RoleID, e *Entitlement) bool {
	r := s.roles.At(int(role))
	if r == nil {
		return false
	}
	app := s.applications.At(int(e.Application))
	place, ok := app.fact.actionPlace(e.Action)
	return ok && slices.ContainsFunc(r.rules, func(x rule) bool {
		return x.app == e.Application && x.actions&(1<<place) != 0 && patterns.Contains(x.pattern, e.Target)
	})
}

// anybodysRoles are the roles held by all-users or public, by role and bounds.
func (s *Snapshot) anybodysRoles() heldRoles {
	var out heldRoles
	for _, g := range []GroupID{PublicGroup, AllUsersGroup} {
		for _, x := range s.groups.At(int(g)).given {
			l := s.limitsOf(x)
			out = out.add(s, x.role(), l.bounds(), calendar.Always())
		}
	}
	return out
}

func compareScopes(a, b []Scope) int {
	return slices.CompareFunc(a, b, func(x, y Scope) int {
		return cmp.Or(cmp.Compare(x.Application, y.Application), cmp.Compare(x.Pattern, y.Pattern))
	})
}
