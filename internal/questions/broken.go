package questions

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
)

// brokenNow are those who break each of some expectations at an instant or later,
// by a snapshot of the head or of some past day.
func brokenNow(d *seeing.Service, s *access.Snapshot, all []*fact.Expectation, from calendar.Instant) map[fact.ExpectationID][]query.Broken {
	if s != d.Ledger.Head() {
		return withNewcomers(query.BrokenByEach(s, all, from), s, all, from)
	}
	d.Broken.Mu.Lock()
	if d.Broken.Of != s {
		if d.Broken.Of == nil || d.Broken.Of.Revision > s.Revision {
			d.Broken.By = query.BrokenByEach(s, record.Expectations(s), 0)
		} else {
			d.Broken.By = query.BrokenSince(s, d.Broken.Of, d.Broken.By)
		}
		d.Broken.Of = s
	}
	by := d.Broken.By
	d.Broken.Mu.Unlock()
	out := make(map[fact.ExpectationID][]query.Broken, len(all))
	for _, f := range all {
		for _, b := range by[f.ID] {
			if b.When = b.When.From(from); len(b.When) > 0 {
				out[f.ID] = append(out[f.ID], b)
			}
		}
	}
	return withNewcomers(out, s, all, from)
}

// withNewcomers adds the expectations about would-be users that do not hold.
func withNewcomers(out map[fact.ExpectationID][]query.Broken, s *access.Snapshot, all []*fact.Expectation, from calendar.Instant) map[fact.ExpectationID][]query.Broken {
	newcomers := change.Newcomers{S: s, At: from}
	for _, f := range all {
		if !f.Of.WouldBe.Given() {
			continue
		}
		if broken := newcomers.Broken(f); len(broken) > 0 {
			out[f.ID] = broken
		}
	}
	return out
}
