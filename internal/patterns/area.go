package patterns

import "slices"

// Area is all that a pattern covers, less what some others do: what a permission
// reaches, and the fences that it does not pass.
type Area struct {
	Pattern string
	Except  []string
}

func (p *Area) covers(path string) bool {
	if !Covers(p.Pattern, path) {
		return false
	}
	for _, e := range p.Except {
		if Covers(e, path) {
			return false
		}
	}
	return true
}

// Contains says whether all of q is in p.
func (p *Area) Contains(q *Area) bool {
	if !Contains(p.Pattern, q.Pattern) {
		return false
	}
	for _, e := range p.Except {
		if Overlap(e, q.Pattern) && !slices.ContainsFunc(q.Except, func(x string) bool { return Contains(x, e) }) {
			return false
		}
	}
	return true
}

// SortAreas puts areas in order of their
func SortAreas(all []Area) {
	slices.SortFunc(all, func(a, b Area) int {
		if a.Pattern < b.Pattern {
			return -1
		}
		return 1
	})
}

// Widen adds a part to a set in which none contains another.
func Widen(set []Area, p Area) []Area {
	for i := range set {
		if set[i].Contains(&p) {
			return set
		}
	}
	return append(slices.DeleteFunc(set, func(q Area) bool { return p.Contains(&q) }), p)
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
