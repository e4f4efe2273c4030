package fact

import "ableroster/internal/patterns"

// A permission reaches a path that a fence covers, for the fence's actions,
// only if the permission's own pattern lies inside the fence. A scope opens no
// fence.

// Passes says whether a permission written for a pattern is let through a
// fence.
func (f *Fence) Passes(pattern string) bool { return patterns.Contains(f.Pattern, pattern) }

// Guards says whether the fence keeps an action in.
func (f *Fence) Guards(action string) bool {
	for _, a := range f.Actions {
		if a == action || a == AllActions {
			return true
		}
	}
	return false
}

// Lets says whether a fence lets a permission through to something it guards.
func (f *Fence) Lets(p *Permission) bool {
	if !f.Passes(p.Pattern) {
		return false
	}
	for _, a := range p.Actions {
		if a == AllActions || f.Guards(a) {
			return true
		}
	}
	return false
}
