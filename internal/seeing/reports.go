package seeing

import (
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/finding"
)

// reports keeps the newest report: the next is made from it by difference.
type reports struct {
	mu   sync.Mutex
	last *finding.Report
}

// Of is the report of a snapshot at an instant, made from the one before where that can be.
func (r *reports) Of(s *access.Snapshot, at calendar.Instant, used finding.Accounts) *finding.Report {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.last == nil {
		r.last = finding.Look(s, at, used)
	} else {
		r.last = r.last.Next(s, at, used)
	}
	return r.last
}

// letGo forgets a report that is too old to build on, and with it the snapshot it
// was made from.
func (r *reports) letGo(now calendar.Instant) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.last != nil && r.last.Stale(now) {
		r.last = nil
	}
}
