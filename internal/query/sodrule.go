package query

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
)

// Violation is a user who holds all roles of an SoD rule, and when.
type Violation struct {
	SoDRule *fact.SoDRule
	User    fact.UserID
	When    calendar.Intervals
}

// WhenViolated is when a user holds all roles of an SoD rule from an instant on.
func WhenViolated(f *fact.SoDRule, held map[fact.RoleID]calendar.Intervals, from calendar.Instant) calendar.Intervals {
	if f.Ended {
		return nil
	}
	when := calendar.Intervals{{From: from}}
	for _, r := range f.Roles {
		if when = when.Intersect(held[r]); len(when) == 0 {
			return nil
		}
	}
	return when
}

// Violations are the violations of a rule from an instant on, by user.
func Violations(s *access.Snapshot, f *fact.SoDRule, from calendar.Instant) []Violation {
	if f.Ended || len(f.Roles) == 0 {
		return nil
	}
	candidates := map[fact.UserID]int{}
	for _, r := range f.Roles {
		mine := map[fact.UserID]bool{}
		s.HoldersBelow(r, func(id fact.UserID) { mine[id] = true })
		for id := range mine {
			candidates[id]++
		}
	}
	var out []Violation
	for id, n := range candidates {
		if n < len(f.Roles) {
			continue
		}
		if when := WhenViolated(f, held.RoleIntervals(s, id), from); len(when) > 0 {
			out = append(out, Violation{f, id, when})
		}
	}
	slices.SortFunc(out, func(a, b Violation) int { return int(a.User) - int(b.User) })
	return out
}

// Violates says whether a user holds all roles of an SoD rule at an instant.
func Violates(f *fact.SoDRule, s *access.Snapshot, id fact.UserID, at calendar.Instant) bool {
	return WhenViolated(f, held.RoleIntervals(s, id), at).Holds(at)
}
