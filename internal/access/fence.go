package access

import (
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Fenced says whether a fence keeps a permission with this pattern from doing
// an action on a path (or on all a pattern covers, its stars taken as names).
func (s *Snapshot) Fenced(app *ApplicationEntry, pattern, action, path string) bool {
	for _, id := range app.Fences {
		f := s.FenceTable.At(int(id)).Fact
		if f.Guards(action) && patterns.Covers(f.Pattern, path) && !f.Passes(pattern) {
			return true
		}
	}
	return false
}

// Fences are the fences of an application in order of id.
func (s *Snapshot) Fences(id fact.ApplicationID) []*fact.Fence {
	var out []*fact.Fence
	if a := s.ApplicationTable.At(int(id)); a != nil {
		for _, f := range a.Fences {
			out = append(out, s.FenceTable.At(int(f)).Fact)
		}
	}
	return out
}

// Fence is the fact, or nil when it is not open.
func (s *Snapshot) Fence(id fact.FenceID) *fact.Fence {
	if r := s.FenceTable.At(int(id)); r != nil {
		return r.Fact
	}
	return nil
}
