package effect

import (
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// NewViolations are those a draft brings about among the users it touches, where
// there was none before or for less time. A rule it writes stops nobody who
// breaks it already: see Violations.
func NewViolations(d *change.Draft, touched []fact.UserID, from calendar.Instant) []query.Violation {
	var standing []*fact.SoDRule
	for _, f := range record.SoDRules(&d.Snapshot) {
		if !f.Ended && record.SoDRule(d.Base(), f.ID) == f {
			standing = append(standing, f)
		}
	}
	if len(standing) == 0 {
		return nil
	}
	var out []query.Violation
	for _, id := range touched {
		if id == 0 {
			continue
		}
		after := held.RoleIntervals(&d.Snapshot, id)
		var before map[fact.RoleID]calendar.Intervals
		for _, f := range standing {
			when := query.WhenViolated(f, after, from)
			if len(when) == 0 {
				continue
			}
			if before == nil {
				before = held.RoleIntervals(d.Base(), id)
			}
			if when = when.Minus(query.WhenViolated(f, before, from)); len(when) > 0 {
				out = append(out, query.Violation{SoDRule: f, User: id, When: when})
			}
		}
	}
	return out
}

// Written are the SoD rules a draft writes or alters.
func Written(d *change.Draft) []*fact.SoDRule {
	var out []*fact.SoDRule
	for _, f := range record.SoDRules(&d.Snapshot) {
		if !f.Ended && record.SoDRule(d.Base(), f.ID) != f {
			out = append(out, f)
		}
	}
	return out
}
