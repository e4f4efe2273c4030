package query

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// RoleReach is where a role, with all it includes, lets do an action of Able Roster
// within scopes: patterns, none inside another.
func RoleReach(s *access.Snapshot, role fact.RoleID, action string, scopes []fact.Scope) []string {
	var out []patterns.Area
	f := &fact.Assignment{Scopes: scopes}
	for _, r := range s.RoleTable.At(int(role)).Closure {
		for _, p := range s.RolePermissions(r) {
			if p.Application == fact.AbleRoster && !p.Own && access.Gives(p, action) {
				out = WidenBy(s, out, f, p, action)
			}
		}
	}
	patterns.SortAreas(out)
	var patterns []string
	for _, p := range out {
		patterns = append(patterns, p.Pattern)
	}
	return patterns
}
