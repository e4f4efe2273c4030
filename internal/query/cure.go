package query

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Cures are the roles that would give what was denied, or will be once the
// application no longer rehearses, to whoever holds them
// without bounds; the narrowest first, and none that gives all that another one gives
// and more. None when it is not for want of a role.
func Cures(s *access.Snapshot, q access.Question) []fact.RoleID {
	var a access.Asked
	if err := s.Resolve(&q, &a); err != nil || !a.Known || a.Action.Place < 0 {
		return nil
	}
	switch s.Answer(&q, &a).Reason {
	case access.Granted, access.ApplicationNotLive, access.UserUnknown, access.UserInactive:
		return nil
	}
	type cure struct {
		role  fact.RoleID
		width int
	}
	var all []cure
	for r := range s.Roles() {
		rec := s.RoleTable.At(int(r.ID))
		for i := range rec.Rules {
			x := &rec.Rules[i]
			if x.App == a.App && x.Actions&a.Action.Bit() != 0 && (!x.Own || a.Owns) && x.Covers(a.Path) && !s.Fenced(a.Rec, x.Pattern, a.Action.Key, a.Path) {
				all = append(all, cure{r.ID, len(rec.Rules)})
				break
			}
		}
	}
	slices.SortFunc(all, func(x, y cure) int { return cmp.Or(cmp.Compare(x.width, y.width), cmp.Compare(x.role, y.role)) })
	var out []fact.RoleID
	for _, c := range all {
		if !slices.ContainsFunc(out, func(smaller fact.RoleID) bool { return givesAllOf(s, c.role, smaller) }) {
			out = append(out, c.role)
		}
	}
	return out
}

// givesAllOf says whether a role gives all that another one does.
func givesAllOf(s *access.Snapshot, role, other fact.RoleID) bool {
	rules := s.RoleTable.At(int(role)).Rules
	return !slices.ContainsFunc(s.RoleTable.At(int(other)).Rules, func(want access.Rule) bool {
		return !slices.ContainsFunc(rules, func(r access.Rule) bool {
			return r.App == want.App && r.Actions&want.Actions == want.Actions && (!r.Own || want.Own) && patterns.Contains(r.Pattern, want.Pattern)
		})
	})
}
