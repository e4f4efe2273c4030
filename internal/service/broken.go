package service

import (
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
)

// broken keeps who breaks which expectation by the newest facts, over all time,
// so that looking again is no more work than what was changed.
type broken struct {
	mu sync.Mutex
	of *access.Snapshot
	by map[access.ExpectationID][]access.Broken
}

// brokenNow are those who break each of some expectations at an instant or later,
// by a snapshot of the head or of some past day.
func (d *Service) brokenNow(s *access.Snapshot, all []*access.Expectation, from calendar.Instant) map[access.ExpectationID][]access.Broken {
	if s != d.Ledger.Head() {
		return s.BrokenByEach(all, from)
	}
	d.broken.mu.Lock()
	if d.broken.of != s {
		if d.broken.of == nil || d.broken.of.Revision > s.Revision {
			d.broken.by = s.BrokenByEach(s.Expectations(), 0)
		} else {
			d.broken.by = s.BrokenSince(d.broken.of, d.broken.by)
		}
		d.broken.of = s
	}
	by := d.broken.by
	d.broken.mu.Unlock()
	out := make(map[access.ExpectationID][]access.Broken, len(all))
	for _, f := range all {
		for _, b := range by[f.ID] {
			if b.When = b.When.From(from); len(b.When) > 0 {
				out[f.ID] = append(out[f.ID], b)
			}
		}
	}
	return out
}
