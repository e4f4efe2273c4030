package effect

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// NeedsSecond says whether a draft of a caller's needs a second person.
func NeedsSecond(d *change.Draft, caller fact.UserID, from calendar.Instant) bool {
	return len(secondPersonRails(d, caller, Of(d, from), from)) > 0
}

// secondPersonRails is one where a draft needs a second person, and there is one: as
// nobody is to be locked out, it does not stand in the way of a sole administrator.
func secondPersonRails(d *change.Draft, caller fact.UserID, p Preview, from calendar.Instant) []Rail {
	second := d.Base().Organisation().Second
	if second == (fact.SecondPerson{}) || caller == 0 {
		return nil
	}
	needed := second.OwnGains && slices.ContainsFunc(p.Effects, func(e Effect) bool { return len(e.Gained) > 0 && slices.Contains(e.Users, caller) }) ||
		second.HighRisk && slices.ContainsFunc(d.RoleGains(from), func(g change.RoleGain) bool {
			return g.Decides == 0 && g.Group == 0 && d.Role(g.Role).Risk == fact.RiskHigh
		}) ||
		second.Safeguards && weakens(d, from)
	others := slices.ContainsFunc(query.Administrators(d.Base(), from), func(id fact.UserID) bool { return id != caller && d.Base().MaySignIn(id, from) })
	if !needed || !others {
		return nil
	}
	return []Rail{{Code: NeedsSecondPerson, Users: []fact.UserID{caller}}}
}

// weakens says whether a draft weakens what guards the administrators.
func weakens(d *change.Draft, from calendar.Instant) bool {
	for _, c := range d.Changes() {
		switch before := c.Before.(type) {
		case *fact.SoDRule:
			after := c.After.(*fact.SoDRule)
			if !before.Ended && (after.Ended || before.Prevent && !after.Prevent || !slices.Equal(before.Roles, after.Roles)) {
				return true
			}
		case *fact.Expectation:
			after := c.After.(*fact.Expectation)
			other := before.Of != after.Of || before.Application != after.Application || before.Action != after.Action || before.Pattern != after.Pattern || before.May != after.May
			if !before.Ended && (after.Ended || before.Blocking && !after.Blocking || other) {
				return true
			}
		case *fact.Freeze:
			if !before.Over() {
				return true
			}
		case *fact.Organisation:
			a, b := before.Second, d.Organisation().Second
			if a.OwnGains && !b.OwnGains || a.HighRisk && !b.HighRisk || a.Safeguards && !b.Safeguards || before.ReviewMoves && !d.Organisation().ReviewMoves {
				return true
			}
		}
	}
	return len(query.Administrators(&d.Snapshot, from)) < min(2, len(query.Administrators(d.Base(), from)))
}
