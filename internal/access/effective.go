package access

// effective is when a user counts: while active, from the first instant of
// their start date to the last of their end date in the organisation's zone.
// Nobody signed in (user 0) always does.
func (s *Snapshot) effective(id UserID) Intervals {
	if id == 0 {
		return Always()
	}
	u := s.users.At(int(id))
	if u == nil || !u.active {
		return nil
	}
	var w Window
	if u.start != 0 {
		w.From = u.start.begins(s.zone)
	}
	if u.end != 0 {
		w.Until = (u.end + 1).begins(s.zone)
	}
	if w.From >= w.end() {
		return nil
	}
	return Intervals{w}
}

// Effective says whether a user counts at an instant.
func (s *Snapshot) Effective(id UserID, at Instant) bool {
	u := s.users.At(int(id))
	return u != nil && s.counts(u, at)
}

// counts is Effective for a record.
func (s *Snapshot) counts(u *userRec, at Instant) bool {
	return u.active &&
		(u.start == 0 || at >= u.start.begins(s.zone)) &&
		(u.end == 0 || at < (u.end+1).begins(s.zone))
}
