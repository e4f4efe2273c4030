package settle

import (
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// Owner settles who answers for something: nil leaves it as it is.
func Owner(d *change.Draft, of *fact.UserID, ref **change.UserRef) {
	Other("owner", of, ref, d.SettleUser)
}

// Other settles a reference that may be given, in a text of its own: nil leaves what
// there is, a blank one clears it.
func Other[R ~string, I ~uint32](field string, of *I, ref **R, settle func(string, *R) (I, bool)) {
	if *ref == nil {
		return
	}
	r := **ref
	*ref = &r
	if *of = 0; r != "" {
		*of, _ = settle(field, &r)
	}
}

// Each settles all that a list names, in a list of its own; what is named twice counts
// once.
func Each[R any, I comparable](field string, list *[]R, settle func(string, *R) (I, bool)) (ids []I) {
	refs := slices.Clone(*list)
	*list = refs
	for i := range refs {
		if id, ok := settle(field, &refs[i]); ok && !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	return ids
}

// SortedOnce are some texts in order, each once; nil for none.
func SortedOnce(list []string) []string {
	if len(list) == 0 {
		return nil
	}
	out := slices.Clone(list)
	slices.Sort(out)
	return slices.Compact(out)
}
