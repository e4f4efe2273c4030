package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Reach is where a user may do an action of an application at an instant,
// whatever they own: what lists are cut down with. Parts that another contains
// are left out. User 0 is nobody signed in.
func Reach(s *access.Snapshot, id fact.UserID, app fact.ApplicationID, action string, at calendar.Instant) []patterns.Area {
	var out []patterns.Area
	reachable(s, id, at, func(f *fact.Assignment, p *fact.Permission) {
		if p.Application == app && access.Gives(p, action) && !p.Own {
			out = WidenBy(s, out, f, p, action)
		}
	})
	patterns.SortAreas(out)
	return out
}

// OwnReach is where a user may do an action on what is their own.
func OwnReach(s *access.Snapshot, id fact.UserID, app fact.ApplicationID, action string, at calendar.Instant) []patterns.Area {
	var out []patterns.Area
	reachable(s, id, at, func(f *fact.Assignment, p *fact.Permission) {
		if p.Application == app && access.Gives(p, action) && p.Own && id != 0 {
			out = WidenBy(s, out, f, p, action)
		}
	})
	patterns.SortAreas(out)
	return out
}

// WidenBy adds what a permission reaches within the scopes of an assignment.
func WidenBy(s *access.Snapshot, set []patterns.Area, f *fact.Assignment, p *fact.Permission, action string) []patterns.Area {
	var except []string
	for _, x := range s.Fences(p.Application) {
		if x.Guards(action) && !x.Passes(p.Pattern) {
			except = append(except, x.Pattern)
		}
	}
	for _, pattern := range fact.Narrowed(p.Application, p.Pattern, f.Scopes) {
		part := patterns.Area{Pattern: pattern}
		fenced := false
		for _, e := range except {
			fenced = fenced || patterns.Contains(e, pattern)
			if patterns.Overlap(e, pattern) {
				part.Except = append(part.Except, e)
			}
		}
		if !fenced {
			set = patterns.Widen(set, part)
		}
	}
	return set
}

// reachable calls yield for each permission held at an instant through each
// assignment whose schedule holds then, perhaps more than once.
func reachable(s *access.Snapshot, id fact.UserID, at calendar.Instant, yield func(*fact.Assignment, *fact.Permission)) {
	AssignmentsAt(s, id, at, func(f *fact.Assignment) {
		for _, r := range s.RoleTable.At(int(f.Role)).Closure {
			for _, p := range s.RoleTable.At(int(r)).Permissions {
				yield(f, s.PermissionTable.At(int(p)).Fact)
			}
		}
	})
}

// AssignmentsAt calls yield for each assignment in force for a user at an
// instant, through any principal.
func AssignmentsAt(s *access.Snapshot, id fact.UserID, at calendar.Instant, yield func(*fact.Assignment)) {
	if id != 0 && !s.Effective(id, at) {
		return
	}
	each := func(all []access.Link) {
		for _, g := range all {
			l := s.LimitsOf(g)
			if l.Window.Holds(at) && (l.Schedule == nil || l.Schedule.Holds(at)) {
				yield(s.Assignment(g.Assignment()))
			}
		}
	}
	if id != 0 {
		each(s.UserTable.At(int(id)).Given())
	}
	for _, g := range s.GroupsAt(nil, id, at) {
		each(s.GroupTable.At(int(g)).Given)
	}
}
