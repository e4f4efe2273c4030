package access

// RoleReach is where a role, with all it includes, lets do an action of Able Roster
// within scopes: patterns, none inside another.
func (s *Snapshot) RoleReach(role RoleID, action string, scopes []Scope) []string {
	var out []Area
	f := &Assignment{Scopes: scopes}
	for _, r := range s.roles.At(int(role)).closure {
		for _, p := range s.RolePermissions(r) {
			if p.Application == AbleRoster && !p.Own && p.gives(action) {
				out = s.widenBy(out, f, p, action)
			}
		}
	}
	sortAreas(out)
	var patterns []string
	for _, p := range out {
		patterns = append(patterns, p.Pattern)
	}
	return patterns
}
