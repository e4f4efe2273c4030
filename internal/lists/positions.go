package lists

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
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
