package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// Area is what a permission reaches: all a pattern covers, less what the
// fences do that it does not pass.
type Area struct {
	Pattern string
	Except  []string
}

func (p *Area) covers(path string) bool {
	if !patterns.Covers(p.Pattern, path) {
		return false
	}
	for _, e := range p.Except {
		if patterns.Covers(e, path) {
			return false
		}
	}
	return true
}

// contains says whether all of q is in p.
func (p *Area) contains(q *Area) bool {
	if !patterns.Contains(p.Pattern, q.Pattern) {
		return false
	}
	for _, e := range p.Except {
		if overlap(e, q.Pattern) && !slices.ContainsFunc(q.Except, func(x string) bool { return patterns.Contains(x, e) }) {
			return false
		}
	}
	return true
}

// Reach is where a user may do an action of an application at an instant,
// whatever they own: what lists are cut down with. Parts that another contains
// are left out. User 0 is nobody signed in.
func (s *Snapshot) Reach(id UserID, app ApplicationID, action string, at calendar.Instant) []Area {
	var out []Area
	s.reachable(id, at, func(f *Assignment, p *Permission) {
		if p.Application == app && p.gives(action) && !p.Own {
			out = s.widenBy(out, f, p, action)
		}
	})
	sortAreas(out)
	return out
}

// OwnReach is where a user may do an action on what is their own.
func (s *Snapshot) OwnReach(id UserID, app ApplicationID, action string, at calendar.Instant) []Area {
	var out []Area
	s.reachable(id, at, func(f *Assignment, p *Permission) {
		if p.Application == app && p.gives(action) && p.Own && id != 0 {
			out = s.widenBy(out, f, p, action)
		}
	})
	sortAreas(out)
	return out
}

func sortAreas(all []Area) {
	slices.SortFunc(all, func(a, b Area) int {
		if a.Pattern < b.Pattern {
			return -1
		}
		return 1
	})
}

// widenBy adds what a permission reaches within the scopes of an assignment.
func (s *Snapshot) widenBy(set []Area, f *Assignment, p *Permission, action string) []Area {
	var except []string
	for _, x := range s.Fences(p.Application) {
		if x.guards(action) && !x.passes(p.Pattern) {
			except = append(except, x.Pattern)
		}
	}
	for _, pattern := range narrowed(p.Application, p.Pattern, f.Scopes) {
		part := Area{Pattern: pattern}
		fenced := false
		for _, e := range except {
			fenced = fenced || patterns.Contains(e, pattern)
			if overlap(e, pattern) {
				part.Except = append(part.Except, e)
			}
		}
		if !fenced {
			set = widen(set, part)
		}
	}
	return set
}

// widen adds a part to a set in which none contains another.
func widen(set []Area, p Area) []Area {
	for i := range set {
		if set[i].contains(&p) {
			return set
		}
	}
	return append(slices.DeleteFunc(set, func(q Area) bool { return p.contains(&q) }), p)
}

// reachable calls yield for each permission held at an instant through each
// assignment whose schedule holds then, perhaps more than once.
func (s *Snapshot) reachable(id UserID, at calendar.Instant, yield func(*Assignment, *Permission)) {
	s.assignmentsAt(id, at, func(f *Assignment) {
		for _, r := range s.roles.At(int(f.Role)).closure {
			for _, p := range s.roles.At(int(r)).permissions {
				yield(f, s.permissions.At(int(p)).fact)
			}
		}
	})
}

// assignmentsAt calls yield for each assignment in force for a user at an
// instant, through any principal.
func (s *Snapshot) assignmentsAt(id UserID, at calendar.Instant, yield func(*Assignment)) {
	if id != 0 && !s.Effective(id, at) {
		return
	}
	each := func(all []link) {
		for _, g := range all {
			l := s.limitsOf(g)
			if l.window.Holds(at) && (l.schedule == nil || l.schedule.Holds(at)) {
				yield(s.Assignment(g.assignment()))
			}
		}
	}
	if id != 0 {
		each(s.users.At(int(id)).given())
	}
	for _, g := range s.groupsAt(nil, id, at) {
		each(s.groups.At(int(g)).given)
	}
}

// Reaches says whether any of the parts covers a path.
func Reaches(parts []Area, path string) bool {
	for i := range parts {
		if parts[i].covers(path) {
			return true
		}
	}
	return false
}
