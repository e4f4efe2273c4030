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

// of is the newest report, if it is of a snapshot.
func (r *reports) of(s *access.Snapshot) *finding.Report {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.last != nil && r.last.Of(s) {
		return r.last
	}
	return nil
}

// Findings are what looks wrong in what the view looks at: in the head, or in what the page
// before was drawn from.
func (v *View) Findings(used finding.Accounts) []finding.Finding {
	if v.page == nil {
		return v.Service.Reports.Of(v.today, v.At, used).Findings
	}
	v.page.mu.Lock()
	defer v.page.mu.Unlock()
	if v.page.report == nil {
		v.page.report = finding.Look(v.page.snapshot, v.At, used)
	}
	return v.page.report.Findings
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
