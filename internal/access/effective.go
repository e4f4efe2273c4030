package access

// effective is when a user counts: while active, from the first instant of
// their start date to the last of their end date in the organisation's zone.
// Nobody signed in (user 0) always does.
func (s *Snapshot) effective(id UserID) Intervals {
	if id == 0 {
		return Always()
	}
	u := s.User(id)
	if u == nil || u.Status != Active {
		return nil
	}
	var w Window
	if u.Start != 0 {
		w.From = u.Start.begins(s.zone)
	}
	if u.End != 0 {
		w.Until = (u.End + 1).begins(s.zone)
	}
	if w.From >= w.end() {
		return nil
	}
	return Intervals{w}
}

// Effective says whether a user counts at an instant.
func (s *Snapshot) Effective(id UserID, at Instant) bool {
	u := s.User(id)
	if u == nil || u.Status != Active {
		return false
	}
	return (u.Start == 0 || at >= u.Start.begins(s.zone)) &&
		(u.End == 0 || at < (u.End+1).begins(s.zone))
}
