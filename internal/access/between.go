package access

import "ableroster/internal/calendar"

// Between is what a user holds at one instant by the facts of one snapshot and
// did not at another by those of another, and the other way round: gained and
// lost by the clock as well as by revisions. A schedule is a condition here,
// not a time.
func Between(before *Snapshot, from calendar.Instant, after *Snapshot, to calendar.Instant, id UserID) (gained, lost []Entitlement) {
	had, has := before.permissionsOf(id), after.permissionsOf(id)
	set := map[line]struct{}{}
	for _, p := range had {
		before.lines(p, set)
	}
	for _, p := range has {
		after.lines(p, set)
	}
	for l := range set {
		b, a := holding(before.when(l, had), from), holding(after.when(l, has), to)
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
func holding(all map[condition]calendar.Intervals, at calendar.Instant) map[condition]calendar.Intervals {
	out := map[condition]calendar.Intervals{}
	for c, when := range all {
		if when.Holds(at) {
			out[c] = when
		}
	}
	return out
}

// heldAlready says whether something is held on a condition or a weaker one.
func heldAlready(all map[condition]calendar.Intervals, c condition) bool {
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
func Class(before, after *Snapshot, id UserID) string {
	return string(after.appendHolding(before.appendHolding(nil, id, 0), id, 0))
}
