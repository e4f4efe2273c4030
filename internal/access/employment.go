package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// EmploymentTypes are those that are described, ended ones too.
func (s *Snapshot) EmploymentTypes() []*fact.EmploymentType {
	return RecordFactsOf[*fact.EmploymentType](s, fact.FactEmploymentType)
}

// EmploymentTypeOf is that of a user, or nil for one that is not described.
func (s *Snapshot) EmploymentTypeOf(u *fact.User) (found *fact.EmploymentType) {
	if u.Employment == "" {
		return nil
	}
	s.EachRecordFact(fact.FactEmploymentType, func(f fact.RecordFact) bool {
		if t := f.(*fact.EmploymentType); t.Of(u) {
			found = t
		}
		return found == nil
	})
	return found
}

// Opening is the time for which a user's closed access is open, or nil.
func (s *Snapshot) Opening(id fact.UserID) *fact.Opening {
	f, _ := s.RecordFact(fact.FactOpening, uint32(id)).(*fact.Opening)
	return f
}

// IsClosed says whether a user has access only for as long as it is opened.
func (s *Snapshot) IsClosed(u *fact.User) bool {
	return u.Employment != "" && u.UserKind == fact.Person && slices.Contains(s.closedTypes, fact.Fold(u.Employment))
}

// ClosesAlike says whether the same employment types are closed as in another snapshot.
func (s *Snapshot) ClosesAlike(other *Snapshot) bool {
	return slices.Equal(s.closedTypes, other.closedTypes)
}

// present is when a user counts who is absent at times, or whose access is closed.
func (s *Snapshot) present(u *fact.User, within calendar.Window) calendar.Intervals {
	out := calendar.Intervals{within}.Minus(s.away(u.ID))
	if !s.IsClosed(u) {
		return out
	}
	o := s.Opening(u.ID)
	if o == nil {
		return nil
	}
	return out.Within(o.Window)
}

// isPresent is present for an instant.
func (s *Snapshot) isPresent(u *fact.User, at calendar.Instant) bool {
	if s.Away(u.ID, at) {
		return false
	}
	if !s.IsClosed(u) {
		return true
	}
	o := s.Opening(u.ID)
	return o != nil && o.Holds(at)
}

// closeTypes keeps which employment types are closed, and says of each user of these that it
// is looked up when they count.
func (d *Builder) closeTypes(f *fact.EmploymentType) {
	key := fact.Fold(f.Key)
	was, is := slices.Contains(d.closedTypes, key), f.Closed && !f.Ended
	if was == is {
		return
	}
	if is {
		d.closedTypes = With(d.closedTypes, key)
	} else {
		d.closedTypes = without(d.closedTypes, key)
	}
	for i := range d.UserTable.Len() {
		if u := d.UserTable.At(i); u != nil && u.Fact != nil && fact.Fold(u.Fact.Employment) == key {
			e := d.UserTable.Edit(d.edit, i)
			e.limited = d.isLimited(e.Fact)
		}
	}
}

// isLimited says whether it takes more than status and dates to say when a user counts.
func (d *Builder) isLimited(u *fact.User) bool {
	return len(d.Absences(u.ID).Listed()) > 0 || d.IsClosed(u)
}
