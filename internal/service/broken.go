package service

import (
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// broken keeps who breaks which expectation by the newest facts, over all time,
// so that looking again is no more work than what was changed.
type broken struct {
	mu sync.Mutex
	of *access.Snapshot
	by map[fact.ExpectationID][]query.Broken
}

// brokenNow are those who break each of some expectations at an instant or later,
// by a snapshot of the head or of some past day.
func (d *Service) brokenNow(s *access.Snapshot, all []*fact.Expectation, from calendar.Instant) map[fact.ExpectationID][]query.Broken {
	if s != d.Ledger.Head() {
		return query.BrokenByEach(s, all, from)
	}
	d.broken.mu.Lock()
	if d.broken.of != s {
		if d.broken.of == nil || d.broken.of.Revision > s.Revision {
			d.broken.by = query.BrokenByEach(s, s.Expectations(), 0)
		} else {
			d.broken.by = query.BrokenSince(s, d.broken.of, d.broken.by)
		}
		d.broken.of = s
	}
	by := d.broken.by
	d.broken.mu.Unlock()
	out := make(map[fact.ExpectationID][]query.Broken, len(all))
	for _, f := range all {
		for _, b := range by[f.ID] {
			if b.When = b.When.From(from); len(b.When) > 0 {
				out[f.ID] = append(out[f.ID], b)
			}
		}
	}
	return out
}
