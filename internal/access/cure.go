package access

import (
	"cmp"
	"slices"

	"ableroster/internal/patterns"
)

// Cures are the roles that would give what was denied, or will be once the
// application no longer rehearses, to whoever holds them
// without bounds; the narrowest first, and none that gives all that another one gives
// and more. None when it is not for want of a role.
func (s *Snapshot) Cures(q Question) []RoleID {
	var a asked
	d, err := s.check(&q, &a)
	if err != nil || !a.known || a.action.place < 0 {
		return nil
	}
	switch d.Reason {
	case Granted, ApplicationNotLive, UserUnknown, UserInactive:
		return nil
	}
	type cure struct {
		role  RoleID
		width int
	}
	var all []cure
	for r := range s.Roles() {
		rec := s.roles.At(int(r.ID))
		for i := range rec.rules {
			x := &rec.rules[i]
			if x.app == a.app && x.actions&a.action.bit() != 0 && (!x.own || a.owns) && x.covers(a.path) && !s.fenced(a.rec, x.pattern, a.action.key, a.path) {
				all = append(all, cure{r.ID, len(rec.rules)})
				break
			}
		}
	}
	slices.SortFunc(all, func(x, y cure) int { return cmp.Or(cmp.Compare(x.width, y.width), cmp.Compare(x.role, y.role)) })
	var out []RoleID
	for _, c := range all {
		if !slices.ContainsFunc(out, func(smaller RoleID) bool { return s.givesAllOf(c.role, smaller) }) {
			out = append(out, c.role)
		}
	}
	return out
}

// givesAllOf says whether a role gives all that another one does.
func (s *Snapshot) givesAllOf(role, other RoleID) bool {
	rules := s.roles.At(int(role)).rules
	return !slices.ContainsFunc(s.roles.At(int(other)).rules, func(want rule) bool {
		return !slices.ContainsFunc(rules, func(r rule) bool {
			return r.app == want.app && r.actions&want.actions == want.actions && (!r.own || want.own) && patterns.Contains(r.pattern, want.pattern)
		})
	})
}
