package access

import (
	"maps"
	"slices"

	"ableroster/internal/calendar"
)

// Broken is a user who breaks an expectation, and when.
type Broken struct {
	Expectation *Expectation
	User        UserID // 0 is nobody signed in
	When        calendar.Intervals
}

// BrokenBy are all who break an expectation at an instant or later, by user.
func (s *Snapshot) BrokenBy(f *Expectation, from calendar.Instant) []Broken {
	return s.BrokenByEach([]*Expectation{f}, from)[f.ID]
}

// BrokenByEach is BrokenBy for many expectations: whoever could break several is
// looked at once.
func (s *Snapshot) BrokenByEach(all []*Expectation, from calendar.Instant) map[ExpectationID][]Broken {
	could := map[UserID][]*Expectation{}
	for _, f := range all {
		if f.Ended {
			continue
		}
		s.candidates(f, func(id UserID) {
			if mine := could[id]; len(mine) == 0 || mine[len(mine)-1] != f {
				could[id] = append(mine, f)
			}
		})
	}
	out := map[ExpectationID][]Broken{}
	judge := judging{s: s}
	for id, mine := range could {
		judge.of(id)
		for _, f := range mine {
			if when := judge.broken(f).Within(calendar.Window{From: from}); len(when) > 0 {
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
func (s *Snapshot) BrokenSince(older *Snapshot, was map[ExpectationID][]Broken) map[ExpectationID][]Broken {
	all := s.Expectations()
	if s.organisation != older.organisation || !slices.Equal(all, older.Expectations()) || !s.RolesDescribedAlike(older) ||
		len(s.ApplicationsDescribedSince(older)) > 0 || s.groupsDiffer(older) {
		return s.BrokenByEach(all, 0)
	}
	touched := map[UserID]bool{}
	for i := range s.users.Differ(&older.users) {
		if u := s.users.At(i); u != nil && u.touched > older.Revision {
			touched[UserID(i)] = true
		}
	}
	if len(touched) == 0 {
		return was
	}
	out, about, judge := maps.Clone(was), sortOut(all), judging{s: s}
	for id, some := range out {
		out[id] = slices.DeleteFunc(slices.Clone(some), func(b Broken) bool { return touched[b.User] })
	}
	for id := range touched {
		judge.of(id)
		about.each(id, judge.groups, func(f *Expectation) {
			if when := judge.broken(f); len(when) > 0 {
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

// groupsDiffer says whether any group differs from an older snapshot in what it is,
// holds or lies in.
func (s *Snapshot) groupsDiffer(older *Snapshot) bool {
	for i := range s.groups.Differ(&older.groups) {
		if g := s.groups.At(i); g != nil && g.touched > older.Revision {
			return true
		}
	}
	return false
}
