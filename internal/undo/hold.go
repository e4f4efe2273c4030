package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

// legalHold takes a hold back that was set, and sets one again that was ended or replaced,
// unless it is over.
func (u *undoing) legalHold(f *fact.LegalHold, c access.RowChange) {
	now := record.LegalHold(u.head, f.User)
	before, _ := c.Before.(*fact.LegalHold)
	after, _ := c.After.(*fact.LegalHold)
	switch same := now == nil && after == nil || now != nil && after != nil && now.Until == after.Until; {
	case !same:
		u.left("The legal hold of %s was set or ended again since.", u.called(f.User))
	case before == nil:
		u.does(ending, "end_legal_hold", fields{"user": f.User.String()})
	case before.Until < calendar.DateOf(u.at.Time().In(u.head.Zone())):
		u.left("The legal hold of %s that was there before is over.", u.called(f.User))
	default:
		u.does(restoring, "set_legal_hold", fields{"user": f.User.String(), "last_day": before.Until.String()})
	}
}
