package query

import (
	"maps"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

// Broken is a user who breaks an expectation, and when.
type Broken struct {
	Expectation *fact.Expectation
	User        fact.UserID // 0 is nobody signed in
	When        calendar.Intervals
}

// BrokenBy are all who break an expectation at an instant or later, by user: of those who are
// there, see change.BrokenBy.
func BrokenBy(s *access.Snapshot, f *fact.Expectation, from calendar.Instant) []Broken {
	return BrokenByEach(s, []*fact.Expectation{f}, from)[f.ID]
}

// BrokenByEach is BrokenBy for many expectations: whoever could break several is
// looked at once.
func BrokenByEach(s *access.Snapshot, all []*fact.Expectation, from calendar.Instant) map[fact.ExpectationID][]Broken {
	could := map[fact.UserID][]*fact.Expectation{}
	for _, f := range all {
		if f.Ended {
			continue
		}
		candidates(s, f, func(id fact.UserID) {
			if mine := could[id]; len(mine) == 0 || mine[len(mine)-1] != f {
				could[id] = append(mine, f)
			}
		})
	}
	out := map[fact.ExpectationID][]Broken{}
	judge := Judging{S: s}
	for id, mine := range could {
		judge.Of(id)
		for _, f := range mine {
			if when := judge.Broken(f).Within(calendar.Window{From: from}); len(when) > 0 {
				out[f.ID] = append(out[f.ID], Broken{f, id, when})
			}
		}
	}
	for _, some := range out {
		slices.SortFunc(some, func(a, b Broken) int { return int(a.User) - int(b.User) })
	}
	return out
}

// BrokenSince is BrokenByEach of all expectations over all time, made from that of
// an older snapshot: only whoever was touched since is looked at, as long as
// nothing else has changed that it depends on.
func BrokenSince(s *access.Snapshot, older *access.Snapshot, was map[fact.ExpectationID][]Broken) map[fact.ExpectationID][]Broken {
	all := record.Expectations(s)
	if s.Organisation() != older.Organisation() || !s.ClosesAlike(older) || !slices.Equal(all, record.Expectations(older)) || !RolesDescribedAlike(s, older) ||
		len(ApplicationsDescribedSince(s, older)) > 0 || GroupsDiffer(s, older) {
		return BrokenByEach(s, all, 0)
	}
	touched := map[fact.UserID]bool{}
	for i := range s.UserTable.Differ(&older.UserTable) {
		if u := s.UserTable.At(i); u != nil && u.Touched > older.Revision {
			touched[fact.UserID(i)] = true
		}
	}
	if len(touched) == 0 {
		return was
	}
	out, about, judge := maps.Clone(was), SortOut(all), Judging{S: s}
	for id, some := range out {
		out[id] = slices.DeleteFunc(slices.Clone(some), func(b Broken) bool { return touched[b.User] })
	}
	for id := range touched {
		judge.Of(id)
		about.Each(id, judge.Groups, func(f *fact.Expectation) {
			if when := judge.Broken(f); len(when) > 0 {
				out[f.ID] = append(out[f.ID], Broken{f, id, when})
			}
		})
	}
	for id, some := range out {
		if len(some) == 0 {
			delete(out, id)
			continue
		}
		slices.SortFunc(some, func(a, b Broken) int { return int(a.User) - int(b.User) })
	}
	return out
}

// GroupsDiffer says whether any group differs from an older snapshot in what it is,
// holds or lies in.
func GroupsDiffer(s *access.Snapshot, older *access.Snapshot) bool {
	for i := range s.GroupTable.Differ(&older.GroupTable) {
		if g := s.GroupTable.At(i); g != nil && g.Touched > older.Revision {
			return true
		}
	}
	return false
}
