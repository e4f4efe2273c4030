package settle

import (
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// CheckFilter files the faults of a filter; a blank one has none.
func CheckFilter(d *change.Draft, text string) {
	if text == "" {
		return
	}
	for _, m := range d.CheckRule(text) {
		d.Fault("filter", "%s", m)
	}
}

// KnownInFilter files the faults of units that a filter names and that are not there.
func KnownInFilter(d *change.Draft, text string) {
	for _, unit := range fact.UnitsIn(text) {
		d.KnownUnit("filter", unit)
	}
}
