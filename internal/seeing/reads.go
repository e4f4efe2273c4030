package seeing

import (
	"slices"

	"ableroster/internal/access"
)

// Reads says whether the caller may read anything beside themselves.
func (v *View) Reads() bool { return len(v.Rights().Reach(access.ActRead)) > 0 }

// Acts says whether the caller may change anything at all in Able Roster.
func (v *View) Acts() bool {
	return slices.ContainsFunc([]string{access.ActAssign, access.ActUpdate, access.ActCreate}, func(a string) bool { return len(v.Rights().Reach(a)) > 0 })
}
