package lists

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// positions are those of a user, in the order in which they were given.
func positions(v *seeing.View, id fact.UserID) (out []wire.Position) {
	for _, p := range v.Uncut().Positions(id).Listed() {
		out = append(out, wire.Position{Position: p.Number, Unit: p.Unit, Title: p.Title, Location: p.Location,
			StartDate: p.Start.String(), EndDate: p.End.String(), Former: p.Former})
	}
	return out
}

// absences are a user's leaves of absence.
func absences(v *seeing.View, id fact.UserID) (out []wire.Absence) {
	for _, a := range v.Uncut().Absences(id).Listed() {
		out = append(out, wire.Absence{Absence: a.Number, StartDate: a.Start.String(), EndDate: dayText(a.End)})
	}
	return out
}

// dayText is a day as answers have it, blank for none.
func dayText(d calendar.Date) string {
	if d == 0 {
		return ""
	}
	return d.String()
}

// substitutes are those who decide in a user's place, in the order in which they were named, and
// standsInFor those in whose place the user decides from now on at some time, of whom the caller
// may read. Both know each other by name.
func substitutes(v *seeing.View, id fact.UserID) (out []wire.Substitute, standsInFor []wire.Ref) {
	f, _ := v.Uncut().RecordFact(fact.FactSubstitutes, uint32(id)).(*fact.Substitutes)
	others := held.EverStandsInFor(v.Uncut(), id, v.At)
	if id == v.Caller.User {
		w := *v
		w.Known = map[fact.UserID]bool{}
		for _, x := range f.Listed() {
			w.Known[x.User] = true
		}
		for _, of := range others {
			w.Known[of] = true
		}
		v = &w
	}
	for _, x := range f.Listed() {
		out = append(out, wire.Substitute{Number: x.Number, Substitute: v.UserRef(x.User), StartDate: x.Start.String(), EndDate: x.End.String()})
	}
	for _, of := range others {
		if v.ReadsUser(of) || v.Known[of] {
			standsInFor = append(standsInFor, v.UserRef(of))
		}
	}
	return out, standsInFor
}
