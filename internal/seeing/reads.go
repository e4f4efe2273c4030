package seeing

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/patterns"
	"ableroster/wire"
)

// Reads says whether the caller may read anything beside themselves.
func (v *View) Reads() bool { return len(v.Rights().Reach(access.ActRead)) > 0 }

// Acts says whether the caller may change anything at all in Able Roster.
func (v *View) Acts() bool {
	return slices.ContainsFunc([]string{access.ActAssign, access.ActUpdate, access.ActCreate}, func(a string) bool { return len(v.Rights().Reach(a)) > 0 })
}

// ReadsUnit says whether the caller may read people of a unit, or of a part of it.
func (v *View) ReadsUnit(unit string) bool {
	path := patterns.Join("users", unit)
	return slices.ContainsFunc(v.Rights().Reach(access.ActRead), func(a patterns.Area) bool {
		return patterns.Covers(a.Pattern, path) || patterns.Covers(path, a.Pattern)
	})
}

// UnitHead is who leads a unit, or else the nearest one above it that has a head; nil for
// nobody.
func (v *View) UnitHead(unit string) *wire.Ref {
	id := v.snapshot.HeadOf(unit, 0)
	if id == 0 {
		return nil
	}
	head := v.UserRef(id)
	return &head
}
