package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// MaySignIn says whether a user is let in at an instant, once they have shown who
// they are.
func (s *Snapshot) MaySignIn(id fact.UserID, at calendar.Instant) bool {
	if !s.Effective(id, at) {
		return false
	}
	only := s.organisation.SignIn
	return only == 0 || s.User(id).UserKind == fact.Service || s.IsMember(id, only, at)
}
