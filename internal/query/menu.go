package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Menu is where a user may do an action of an application, on anybody's and on
// their own, as the application's state has it. Fields are as in Reach.
func Menu(s *access.Snapshot, id fact.UserID, app fact.ApplicationID, action string, at calendar.Instant) (all, own []patterns.Area) {
	switch s.Stance(s.Application(app), id, id != 0, at) {
	case access.LetsAll:
		if id != 0 {
			if s.Effective(id, at) {
				all = []patterns.Area{{Pattern: patterns.Root}}
			}
			return all, nil
		}
	case access.LetsNobody:
		return nil, nil
	}
	return Reach(s, id, app, action, at), OwnReach(s, id, app, action, at)
}
