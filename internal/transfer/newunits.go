package transfer

import (
	"maps"
	"slices"

	"ableroster/internal/fact"
	"ableroster/internal/importfile"
	"ableroster/internal/operation"
	"ableroster/internal/patterns"
)

// newUnits makes the units that rows name and that are not there, those above them first.
func (b *importing) newUnits(rows []importfile.Row) {
	by := map[string]importfile.Row{}
	for _, row := range rows {
		for unit := row.Values["unit"]; unit != "" && unit != patterns.Root && patterns.CheckPath(unit) == nil; unit = fact.UnitAbove(unit) {
			if _, named := by[unit]; !named && b.head.UnitAt(unit) == nil {
				by[unit] = row
			}
		}
	}
	for _, unit := range slices.Sorted(maps.Keys(by)) {
		b.op(by[unit], &operation.AddUnit{Path: unit})
		b.units++
	}
}
