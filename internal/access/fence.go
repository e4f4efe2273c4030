package access

import "ableroster/internal/patterns"

// A permission reaches a path that a fence covers, for the fence's actions,
// only if the permission's own pattern lies inside the fence. A scope opens no
// fence.

// passes says whether a permission written for a pattern is let through a
// fence.
func (f *Fence) passes(pattern string) bool { return patterns.Contains(f.Pattern, pattern) }

func (f *Fence) guards(action string) bool {
	for _, a := range f.Actions {
		if a == action || a == AllActions {
			return true
		}
	}
	return false
}

// fenced says whether a fence keeps a permission with this pattern from doing
// an action on a path (or on all a pattern covers, its stars taken as names).
func (s *Snapshot) fenced(app *applicationRec, pattern, action, path string) bool {
	for _, id := range app.fences {
		f := s.fences.At(int(id)).fact
		if f.guards(action) && patterns.Covers(f.Pattern, path) && !f.passes(pattern) {
			return true
		}
	}
	return false
}

// Fences are the fences of an application in order of id.
func (s *Snapshot) Fences(id ApplicationID) []*Fence {
	var out []*Fence
	if a := s.applications.At(int(id)); a != nil {
		for _, f := range a.fences {
			out = append(out, s.fences.At(int(f)).fact)
		}
	}
	return out
}

// Fence is the fact, or nil when it is not open.
func (s *Snapshot) Fence(id FenceID) *Fence {
	if r := s.fences.At(int(id)); r != nil {
		return r.fact
	}
	return nil
}

// Lets says whether a fence lets a permission through to something it guards.
func (f *Fence) Lets(p *Permission) bool {
	if !f.passes(p.Pattern) {
		return false
	}
	for _, a := range p.Actions {
		if a == AllActions || f.guards(a) {
			return true
		}
	}
	return false
}
