package ledger

import "time"

// Standing is how the ledger of a program stands, for whoever watches over it.
type Standing struct {
	Revision   int64
	Epoch      int
	Age        time.Duration
	Behind     int64         // revisions that were heard of and are not the head yet
	RowsBehind int64         // revisions whose rows of facts are not all written, as far as is known
	Queued     int           // changes that wait
	ClockAhead time.Duration // how far this host's clock is ahead of the database's
}

// Standing says it, of now.
func (l *Ledger) Standing() Standing {
	s := Standing{Revision: l.Head().Revision, Epoch: l.epoch, Age: l.Age(), Queued: len(l.queue), ClockAhead: l.ClockAhead()}
	if n := l.noticed.Load(); n != nil {
		s.Behind = max(0, n.revision-s.Revision)
	}
	if l.Lagging() {
		s.RowsBehind = max(0, s.Revision-l.Reached())
	}
	return s
}

// Time has a function hear how long each step of committing took: judge, wait (for the
// head) and write. It is called by several goroutines.
func (l *Ledger) Time(f func(step string, took time.Duration)) { l.timed.Store(&f) }

// took tells how long a step took that began at a time.
func (l *Ledger) took(step string, began time.Time) {
	if f := l.timed.Load(); f != nil {
		(*f)(step, time.Since(began))
	}
}
