package access

import "slices"

// Reach is the patterns where a user may do an action of an application at an
// instant: what lists are cut down with. Patterns that another contains are
// left out. User 0 is nobody signed in.
func (s *Snapshot) Reach(id UserID, app ApplicationID, action string, at Instant) []string {
	var out []string
	s.permissionsAt(id, at, func(p *Permission) {
		if p.Application == app && p.gives(action) {
			out = widen(out, p.Pattern)
		}
	})
	slices.Sort(out)
	return out
}

// widen adds a pattern to a set in which none contains another.
func widen(set []string, p string) []string {
	for _, q := range set {
		if Contains(q, p) {
			return set
		}
	}
	return append(slices.DeleteFunc(set, func(q string) bool { return Contains(p, q) }), p)
}

// permissionsAt calls yield for each permission held at an instant, perhaps
// more than once.
func (s *Snapshot) permissionsAt(id UserID, at Instant, yield func(*Permission)) {
	s.assignmentsAt(id, at, func(f *Assignment) {
		for _, r := range s.roles.At(int(f.Role)).closure {
			for _, p := range s.roles.At(int(r)).permissions {
				yield(s.permissions.At(int(p)).fact)
			}
		}
	})
}

// assignmentsAt calls yield for each assignment in force for a user at an
// instant, through any principal.
func (s *Snapshot) assignmentsAt(id UserID, at Instant, yield func(*Assignment)) {
	if id != 0 && !s.Effective(id, at) {
		return
	}
	each := func(given []AssignmentID) {
		for _, a := range given {
			if f := s.assignments.At(int(a)).fact; f.Window.Holds(at) {
				yield(f)
			}
		}
	}
	if id != 0 {
		each(s.users.At(int(id)).assignments)
	}
	for _, g := range s.groupsAt(nil, id, at) {
		each(s.groups.At(int(g)).assignments)
	}
}

// Reaches says whether any of the patterns covers a path.
func Reaches(patterns []string, path string) bool {
	for _, p := range patterns {
		if Covers(p, path) {
			return true
		}
	}
	return false
}

// May says whether a user may do an action on a path of able-roster.
func (s *Snapshot) May(id UserID, action, path string, at Instant) bool {
	return s.Effective(id, at) && s.given(asked{id, AbleRoster, action, path, at})
}
