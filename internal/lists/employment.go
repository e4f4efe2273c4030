package lists

import (
	"cmp"
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// EmploymentTypes are those that are described, those that have ended last; how many users are
// of each is told of those whom the caller may read.
func EmploymentTypes(v *seeing.View) wire.EmploymentTypeList {
	out := wire.EmploymentTypeList{Basis: v.Basis(), Types: []wire.EmploymentType{}}
	users := map[fact.EmploymentTypeID]int{}
	for u := range v.Uncut().Users() {
		if t := v.Uncut().EmploymentTypeOf(u); t != nil && u.Status != fact.Departed && v.ReadsUser(u.ID) {
			users[t.ID]++
		}
	}
	for _, t := range v.Uncut().EmploymentTypes() {
		out.Types = append(out.Types, wire.EmploymentType{ID: t.ID.String(), Key: t.Key, Label: t.Label, External: t.External, MaxDays: t.MaxDays,
			Closed: t.Closed, MaxHours: t.MaxHours, Ended: t.Ended, Users: users[t.ID]})
	}
	slices.SortStableFunc(out.Types, func(a, b wire.EmploymentType) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Ended), seeing.Order(b.Ended)), cmp.Compare(a.Label, b.Label))
	})
	return out
}

// opening is the newest opening of a user whose access is closed, or nil.
func opening(v *seeing.View, id fact.UserID) *wire.Opening {
	f := v.Uncut().Opening(id)
	if f == nil {
		return nil
	}
	return &wire.Opening{From: seeing.Instant(f.From), Until: seeing.Instant(f.Until), Reference: f.Reference, Open: f.Holds(v.At)}
}

// Sponsored are the people whom the caller sponsors: who report to them, and work for another
// company or have access only while it is opened. They may know of these whatever else they read.
func Sponsored(v *seeing.View) wire.SponsoredList {
	out := wire.SponsoredList{Basis: v.Basis(), People: []wire.Sponsored{}}
	s := v.Uncut()
	for u := range s.Users() {
		if !v.Sponsors(u) {
			continue
		}
		t := s.EmploymentTypeOf(u)
		x := wire.Sponsored{User: seeing.RefTo(u), Company: u.Company, Employment: t.Label,
			EndDate: dayText(u.End), Closed: t.Closed, MaxHours: t.MaxHours, Opening: opening(v, u.ID)}
		if t.External && t.MaxDays > 0 {
			x.Latest = (calendar.DateOf(v.At.Time().In(v.Zone())) + calendar.Date(t.MaxDays)).String()
		}
		out.People = append(out.People, x)
	}
	slices.SortStableFunc(out.People, func(a, b wire.Sponsored) int { return cmp.Compare(a.EndDate, b.EndDate) })
	return out
}
