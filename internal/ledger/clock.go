package ledger

import (
	"fmt"
	"time"
)

// Everything is judged and recorded by the database's clock: programs on several hosts
// have one, whatever theirs say. Between two readings steady time goes on.

// clockReading is what the database's clock said, and when.
type clockReading struct{ said, when time.Time }

// clockLasts is how long a reading is gone by where a revision is made: this machine's
// clock may stand still while it sleeps, or go a little faster than the database's.
const clockLasts = 10 * time.Second

// A host whose clock differs by more than oddClock says so, and by more than wrongClock is
// not ready: either clock is wrong, and its log, its cookies and its certificates with it.
const (
	oddClock   = time.Second
	wrongClock = time.Minute
)

// Now is the time by the database's clock: as it was last read, and what has passed since
// by the steady clock of this host, which nobody can set.
func (l *Ledger) Now() time.Time {
	if c := l.clock.Load(); c != nil {
		return c.said.Add(time.Since(c.when))
	}
	return time.Now()
}

// ClockAhead is how far this host's clock is ahead of the database's.
func (l *Ledger) ClockAhead() time.Duration {
	return time.Now().Round(0).Sub(l.Now().Round(0)) // without the steady clock, which both have
}

// readClock takes in what the database's clock said.
func (l *Ledger) readClock(said time.Time) {
	l.clock.Store(&clockReading{said, time.Now()})
}

// minded warns when the clocks come to differ, and when they agree again.
func (l *Ledger) minded(was bool) (odd bool) {
	ahead := l.ClockAhead()
	odd = ahead.Abs() > oddClock
	wrong := ""
	if ahead.Abs() > wrongClock {
		wrong = fmt.Sprintf("this host's clock and the database's differ by %s: one of them is wrong", ahead.Round(time.Second).Abs())
	}
	l.wrong.Store(&wrong)
	switch {
	case odd && !was:
		l.log.Warn("this host's clock and the database's differ", "ahead", ahead.Round(time.Millisecond).String())
	case was && !odd:
		l.log.Info("this host's clock and the database's agree again")
	}
	return odd
}

// mindsPast warns when the newest revision is later than the database's clock: that was ahead
// when it was made, or is wrong now. What is made until then follows it by a moment each.
func (l *Ledger) mindsPast() {
	head := l.Head()
	switch ahead := head.At.Time().Sub(l.Now()); {
	case ahead <= oddClock:
		l.past.Store(0)
	case l.past.Swap(head.Revision) == 0:
		l.log.Warn("the newest revision is later than the database's clock: that was ahead when it was made, or is wrong now", "revision", head.Revision, "ahead", ahead.Round(time.Second).String())
	}
}

// WrongTime says that the clocks differed too much when they were last compared, blank when
// they did not.
func (l *Ledger) WrongTime() string {
	if wrong := l.wrong.Load(); wrong != nil {
		return *wrong
	}
	return ""
}
