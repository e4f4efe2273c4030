package fact

import (
	"slices"
	"strings"

	"ableroster/internal/filter"
)

// eachUnitIn calls do for each comparison of a filter with a unit.
func eachUnitIn(e filter.Expression, do func(*filter.Compare, string)) {
	switch e := e.(type) {
	case *filter.And:
		eachUnitIn(e.Left, do)
		eachUnitIn(e.Right, do)
	case *filter.Or:
		eachUnitIn(e.Left, do)
		eachUnitIn(e.Right, do)
	case *filter.Not:
		eachUnitIn(e.Of, do)
	case *filter.Compare:
		unit, ok := e.Value.(string)
		if name := strings.ToLower(e.Attribute); ok && unit != "" && (name == "within" || name == "unit") {
			do(e, unit)
		}
	}
}

// UnitsIn are the units that a filter names as they are, each once.
func UnitsIn(text string) []string {
	var out []string
	eachUnitIn(CompileRule(text), func(c *filter.Compare, unit string) {
		if (c.Operator == filter.Equal || c.Operator == filter.NotEqual) && !slices.Contains(out, unit) {
			out = append(out, unit)
		}
	})
	return out
}

// NamesUnit says whether a filter names a unit or one below it.
func NamesUnit(text, unit string) bool {
	found := false
	eachUnitIn(CompileRule(text), func(_ *filter.Compare, named string) { found = found || InUnit(named, unit) })
	return found
}

// FilterAfterMove is a filter that chooses, after a unit was moved, whom it chose before.
func FilterAfterMove(text, from, to string) string {
	e, moved := CompileRule(text), false
	eachUnitIn(e, func(c *filter.Compare, unit string) {
		if now := MovedUnit(unit, from, to); now != unit {
			c.Value, moved = now, true
		}
	})
	if !moved {
		return text
	}
	return e.String()
}
