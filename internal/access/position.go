package access

import (
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Positions are those that a user has for a time, or nil.
func (s *Snapshot) Positions(id fact.UserID) *fact.Positions {
	f, _ := s.RecordFact(fact.FactPositions, uint32(id)).(*fact.Positions)
	return f
}

// Absences are a user's leaves of absence, or nil.
func (s *Snapshot) Absences(id fact.UserID) *fact.Absences {
	f, _ := s.RecordFact(fact.FactAbsences, uint32(id)).(*fact.Absences)
	return f
}

// PositionWindow is when a position is had, in the organisation's time zone.
func (s *Snapshot) PositionWindow(p *fact.Position) calendar.Window {
	return calendar.Window{From: p.Start.Begins(s.zone), Until: (p.End + 1).Begins(s.zone)}
}

// away is when a user is absent.
func (s *Snapshot) away(id fact.UserID) (out calendar.Intervals) {
	for _, a := range s.Absences(id).Listed() {
		out = out.Union(calendar.Intervals{absenceWindow(a, s.zone)})
	}
	return out
}

func absenceWindow(a fact.Absence, zone *time.Location) calendar.Window {
	w := calendar.Window{From: a.Start.Begins(zone)}
	if a.End != 0 {
		w.Until = (a.End + 1).Begins(zone)
	}
	return w
}

// Away says whether a user is on leave at an instant.
func (s *Snapshot) Away(id fact.UserID, at calendar.Instant) bool {
	for _, a := range s.Absences(id).Listed() {
		if absenceWindow(a, s.zone).Holds(at) {
			return true
		}
	}
	return false
}
