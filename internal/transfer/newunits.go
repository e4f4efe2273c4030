package transfer

import (
	"maps"
	"slices"

	"ableroster/internal/fact"
	"ableroster/internal/importfile"
	"ableroster/internal/operation/people"
	"ableroster/internal/patterns"
)

// newTypes describes the employment types that rows name and that are not there, once some are.
func (b *importing) newTypes(rows []importfile.Row) {
	types := b.head.EmploymentTypes()
	if !slices.ContainsFunc(types, func(t *fact.EmploymentType) bool { return !t.Ended }) {
		return // they are free texts
	}
	made := map[string]bool{}
	for _, row := range rows {
		u := fact.User{UserKind: fact.Person, UserFacts: fact.UserFacts{Employment: row.Values["employment_type"]}}
		if key := fact.Fold(u.Employment); key != "" && !made[key] && b.head.EmploymentTypeOf(&u) == nil {
			made[key] = true
			b.op(row, &people.SetEmploymentType{Key: u.Employment})
			b.types++
		}
	}
}

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
		b.op(by[unit], &people.AddUnit{Path: unit})
		b.units++
	}
}
