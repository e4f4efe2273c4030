package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Between is what a user holds at one instant by the facts of one snapshot and
// did not at another by those of another, and the other way round: gained and
// lost by the clock as well as by revisions. A schedule is a condition here,
// not a time.
func Between(before *access.Snapshot, from calendar.Instant, after *access.Snapshot, to calendar.Instant, id fact.UserID) (gained, lost []Entitlement) {
	had, has := PermissionsOf(before, id), PermissionsOf(after, id)
	set := map[Line]struct{}{}
	for _, p := range had {
		Lines(before, p, set)
	}
	for _, p := range has {
		Lines(after, p, set)
	}
	for l := range set {
		b, a := holding(When(before, l, had), from), holding(When(after, l, has), to)
		for c, when := range a {
			if !heldAlready(b, c) {
				gained = append(gained, entitlement(l, c, when, has))
			}
		}
		for c, when := range b {
			if !heldAlready(a, c) {
				lost = append(lost, entitlement(l, c, when, had))
			}
		}
	}
	sortEntitlements(gained)
	sortEntitlements(lost)
	return gained, lost
}

// holding are the conditions on which something is held at an instant.
func holding(all map[Condition]calendar.Intervals, at calendar.Instant) map[Condition]calendar.Intervals {
	out := map[Condition]calendar.Intervals{}
	for c, when := range all {
		if when.Holds(at) {
			out[c] = when
		}
	}
	return out
}

// heldAlready says whether something is held on a condition or a weaker one.
func heldAlready(all map[Condition]calendar.Intervals, c Condition) bool {
	if _, ok := all[c]; ok {
		return true
	}
	for _, w := range c.weaker() {
		if _, ok := all[w]; ok {
			return true
		}
	}
	return false
}

// Class is a text equal for users who hold equally at an instant by both
// snapshots: what Between says of one it says of all.
func Class(before, after *access.Snapshot, id fact.UserID) string {
	return string(AppendHolding(after, AppendHolding(before, nil, id, 0), id, 0))
}
