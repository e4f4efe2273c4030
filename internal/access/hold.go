package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// LegalHold is what keeps a user from being erased, or nil; it may be over.
func (s *Snapshot) LegalHold(id fact.UserID) *fact.LegalHold {
	f, _ := s.RecordFact(fact.FactLegalHold, uint32(id)).(*fact.LegalHold)
	return f
}

// IsHeld says whether a user may not be erased on the day of an instant.
func (s *Snapshot) IsHeld(id fact.UserID, at calendar.Instant) bool {
	f := s.LegalHold(id)
	return f != nil && f.Until >= calendar.DateOf(at.Time().In(s.Zone()))
}
