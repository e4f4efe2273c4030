package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// WhenEffective is when a user counts: while active, not on leave and not closed, from the first instant
// of their start date to the last of their end date in the organisation's zone.
// Nobody signed in (user 0) always does.
func (s *Snapshot) WhenEffective(id fact.UserID) calendar.Intervals {
	if id == 0 {
		return calendar.Always()
	}
	u := s.UserTable.At(int(id))
	if u == nil || !u.active {
		return nil
	}
	var w calendar.Window
	if u.start != 0 {
		w.From = u.start.Begins(s.zone)
	}
	if u.end != 0 {
		w.Until = (u.end + 1).Begins(s.zone)
	}
	if w.From >= w.End() {
		return nil
	}
	if u.limited {
		return s.present(u.Fact, w)
	}
	return calendar.Intervals{w}
}

// Effective says whether a user counts at an instant.
func (s *Snapshot) Effective(id fact.UserID, at calendar.Instant) bool {
	u := s.UserTable.At(int(id))
	return u != nil && s.Counts(u, at)
}

// Counts is Effective for a record.
func (s *Snapshot) Counts(u *UserEntry, at calendar.Instant) bool {
	return u.active &&
		(u.start == 0 || at >= u.start.Begins(s.zone)) &&
		(u.end == 0 || at < (u.end+1).Begins(s.zone)) &&
		(!u.limited || s.isPresent(u.Fact, at))
}
