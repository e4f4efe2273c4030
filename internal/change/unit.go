package change

import (
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// CheckUnit says whether a text is a unit's path, or none, and files the fault.
func (d *Draft) CheckUnit(field, unit string) bool {
	if unit == "" || unit != patterns.Root && patterns.CheckPath(unit) == nil {
		return true
	}
	d.Fault(field, "is not a path such as marine/pilotage")
	return false
}

// KnownUnit files the fault of a unit that is not there, once the organisation has described
// its units; before that they are free texts. Of what lies outside what the author may know of
// nothing is said.
func (d *Draft) KnownUnit(field, unit string) bool {
	if unit == "" || d.Replays || d.CheckUnitText(unit) != "" {
		return true
	}
	if d.units == nil {
		d.units = map[string]*fact.Unit{}
		for _, u := range d.Units() {
			if !u.Ended {
				d.units[u.Path] = u
			}
		}
	}
	if u := d.units[unit]; len(d.units) == 0 || u != nil && d.MaySee(fact.FactUnit, u.Row()) {
		return true
	}
	if d.Visible != nil && !d.seesAbove(unit) {
		return true // what is there is not theirs to know: rights decide
	}
	d.Missing(fact.FactUnit, field, unit)
	return false
}

// seesAbove says whether the author may know of a unit above a path.
func (d *Draft) seesAbove(unit string) bool {
	for unit = fact.UnitAbove(unit); unit != ""; unit = fact.UnitAbove(unit) {
		if u := d.units[unit]; u != nil && d.MaySee(fact.FactUnit, u.Row()) {
			return true
		}
	}
	return false
}

// CheckUnitText says what is wrong with the path of a unit, or nothing.
func (d *Draft) CheckUnitText(unit string) string {
	switch {
	case unit == "":
		return "is missing"
	case unit == patterns.Root || patterns.CheckPath(unit) != nil:
		return "is not a path such as marine/pilotage"
	case fact.LooksLikeID(unit):
		return "looks like an id"
	}
	return ""
}

// PutUnit opens a unit, in the place of the one with the same id if there is one.
func (d *Draft) PutUnit(u *fact.Unit) {
	d.units = nil
	d.Put(u)
}

// SettleUnit is SettleUser for a unit that is there, by its path or id.
func (d *Draft) SettleUnit(field string, r *UnitRef) (*fact.Unit, bool) {
	u := d.UnitAt(string(*r))
	if n, is := fact.ParseID("unit", string(*r)); is {
		u = d.Unit(fact.UnitID(n))
	}
	if u == nil || u.Ended || !d.MaySee(fact.FactUnit, u.Row()) {
		d.Missing(fact.FactUnit, field, string(*r))
		return nil, false
	}
	*r = UnitRef(u.ID.String())
	d.Reads(fact.FactUnit, u.Row())
	return u, true
}
