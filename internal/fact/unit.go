package fact

import "strings"

// FactUnit is the kind of organisational units.
var FactUnit = RecordKind("unit")

// Unit is a node in the organisation's tree. Users and groups name it by its path; where it
// is moved, they name it by the new one from then on.
type Unit struct {
	Lifetime
	ID    UnitID `json:"-"`
	Path  string `json:"path"` // lower-case keys joined by /
	Label string `json:"label"`
	Head  UserID `json:"head,omitempty"` // who leads it, or 0: whoever leads the one above
	Ended bool   `json:"ended,omitempty"`

	Custom Values `json:"custom,omitempty"` // of declared attributes of units
}

// Kind and Row identify it.
func (*Unit) Kind() FactKind { return FactUnit }
func (f *Unit) Row() uint32  { return uint32(f.ID) }

// Name and Over implement access.Keyed.
func (f *Unit) Name() string { return f.Path }
func (f *Unit) Over() bool   { return f.Ended }

// UnitAbove is the unit that a unit is part of, blank for one of the top.
func UnitAbove(path string) string {
	return path[:max(strings.LastIndexByte(path, '/'), 0)]
}

// InUnit says whether a unit is another one or lies below it.
func InUnit(unit, within string) bool {
	return unit == within || len(unit) > len(within) && unit[len(within)] == '/' && unit[:len(within)] == within
}

// MovedUnit is the path of a unit after another was moved, as it was for one that is neither
// it nor below it.
func MovedUnit(unit, from, to string) string {
	if InUnit(unit, from) {
		return to + unit[len(from):]
	}
	return unit
}
