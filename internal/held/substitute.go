package held

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// SubstitutesOf are those who decide in a user's place at an instant and count then, in order of
// id. A user who is away or suspended has substitutes; one who has departed has none.
func SubstitutesOf(s *access.Snapshot, id fact.UserID, at calendar.Instant) []fact.UserID {
	var out []fact.UserID
	f := substitutes(s, id)
	if f == nil || s.User(id).Status == fact.Departed {
		return nil
	}
	for _, x := range f.List {
		if SubstituteWindow(s, x).Holds(at) && s.Effective(x.User, at) {
			out = append(out, x.User)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// StandsInFor are those in whose place a user decides at an instant, in order of id.
func StandsInFor(s *access.Snapshot, id fact.UserID, at calendar.Instant) []fact.UserID {
	if !s.Effective(id, at) {
		return nil
	}
	return slices.DeleteFunc(substitutedBy(s, id, func(x fact.Substitute) bool { return SubstituteWindow(s, x).Holds(at) }),
		func(of fact.UserID) bool { return s.User(of).Status == fact.Departed })
}

// EverStandsInFor are those in whose place a user decides from an instant on, at some time.
func EverStandsInFor(s *access.Snapshot, id fact.UserID, from calendar.Instant) []fact.UserID {
	return substitutedBy(s, id, func(x fact.Substitute) bool { return !SubstituteWindow(s, x).Over(from) })
}

// ActsFor says whether somebody is a user, or decides in their place at an instant.
func ActsFor(s *access.Snapshot, by, id fact.UserID, at calendar.Instant) bool {
	return by != 0 && id != 0 && (by == id || slices.Contains(SubstitutesOf(s, id, at), by))
}

// SubstituteWindow is when somebody stands in, in the organisation's time zone.
func SubstituteWindow(s *access.Snapshot, x fact.Substitute) calendar.Window {
	return calendar.Window{From: x.Start.Begins(s.Zone()), Until: (x.End + 1).Begins(s.Zone())}
}

// substitutes are a user's, or nil.
func substitutes(s *access.Snapshot, id fact.UserID) *fact.Substitutes {
	f, _ := s.RecordFact(fact.FactSubstitutes, uint32(id)).(*fact.Substitutes)
	return f
}

// substitutedBy are those for whom a user is a substitute by some entry.
func substitutedBy(s *access.Snapshot, id fact.UserID, some func(fact.Substitute) bool) (out []fact.UserID) {
	s.EachRecordFact(fact.FactSubstitutes, func(f fact.RecordFact) bool {
		x := f.(*fact.Substitutes)
		if slices.ContainsFunc(x.List, func(e fact.Substitute) bool { return e.User == id && some(e) }) {
			out = append(out, x.User)
		}
		return true
	})
	return out
}
