// Package calendar is time as the ledger has it: instants and days, windows and sets of
// intervals, and weekly schedules on the wall clock of a place. It has no clock: the
// instant is always a parameter. An instant or a day outside the years 1970 to 9998 is an
// error wherever one is read. Values are never written in place, and may be read by
// several goroutines.
package calendar

import (
	"fmt"
	"sort"
	"strings"
	"time"

	"ableroster/internal/strictjson"
)

// Instant is microseconds since 1970 in UTC, the precision of the ledger. The
// zero Instant stands for an open end; instants before 1970 are refused where
// they are read.
type Instant int64

// never is later than any instant that can be written.
const never = Instant(1<<63 - 1)

// At is the instant of t.
func At(t time.Time) Instant { return Instant(t.UnixMicro()) }

// Time is i as a time in UTC; the zero Instant is the zero time.
func (i Instant) Time() time.Time {
	if i == 0 || i == never {
		return time.Time{}
	}
	return time.UnixMicro(int64(i)).UTC()
}

// MarshalText writes RFC 3339 in UTC, the open end as nothing.
func (i Instant) MarshalText() ([]byte, error) {
	if i == 0 || i == never {
		return nil, nil
	}
	return []byte(i.Time().Format(time.RFC3339Nano)), nil
}

// InWords says how an instant is written.
func (Instant) InWords() string { return "a time such as 2027-01-31T18:00:00Z" }

// The last year that can be written: what ends with a day then has ended before the
// years run out that other programs can write.
const lastYear = 9998

var (
	first = time.Date(1970, 1, 1, 0, 0, 0, 1000, time.UTC) // the zero Instant stands for an open end
	last  = time.Date(lastYear+1, 1, 1, 0, 0, 0, 0, time.UTC)
)

// CheckTime is nil where a time lies in the years 1970 to 9998, in UTC.
func CheckTime(t time.Time) error {
	if t.Before(first) || !t.Before(last) {
		return fmt.Errorf("lies outside the years 1970 to %d", lastYear)
	}
	return nil
}

// Check is nil for an open end and for an instant in the years 1970 to 9998.
func (i Instant) Check() error {
	if i == 0 {
		return nil
	}
	return CheckTime(time.UnixMicro(int64(i)))
}

// ReadInstant reads RFC 3339 (any offset), or nothing for an open end, in the years
// 1970 to 9998.
func ReadInstant(text string) (i Instant, err error) {
	if err := i.UnmarshalText([]byte(text)); err != nil {
		return 0, err
	}
	if err := i.Check(); err != nil {
		return 0, fmt.Errorf("%q %w", strictjson.Short(text), err)
	}
	return i, nil
}

// UnmarshalText reads RFC 3339 (any offset), or nothing for an open end. It reads what
// older revisions may hold too, until the year 10000: what comes in is held to the
// bounds by Check.
func (i *Instant) UnmarshalText(b []byte) error {
	if len(b) == 0 {
		*i = 0
		return nil
	}
	text, later := string(b), 0
	if rest, ok := strings.CutPrefix(text, "10000-"); ok { // a leap year, as 2000 is
		text, later = "2000-"+rest, 8000
	}
	t, err := time.Parse(time.RFC3339Nano, text)
	if err != nil {
		return fmt.Errorf("%q is not an RFC 3339 time such as 2027-01-31T18:00:00Z", strictjson.Short(string(b)))
	}
	t = t.AddDate(later, 0, 0)
	if t.Before(first) {
		return fmt.Errorf("%q lies outside the years 1970 to %d", strictjson.Short(string(b)), lastYear)
	}
	*i = At(t)
	return nil
}

// Date is a whole day, counted from 1970-01-01 as day 1; zero is no date.
type Date int32

const dateLayout = "2006-01-02"

// DateOf is the day that t shows on its own clock.
func DateOf(t time.Time) Date {
	y, m, d := t.Date()
	return Date(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix()/86400) + 1
}

// AddMonths is the same day so many months later; the last of a shorter month.
func (d Date) AddMonths(n int) Date {
	c := d.civil()
	first := time.Date(c.Year(), c.Month()+time.Month(n), 1, 0, 0, 0, 0, time.UTC)
	last := first.AddDate(0, 1, -1).Day()
	return DateOf(first.AddDate(0, 0, min(c.Day(), last)-1))
}

func (d Date) civil() time.Time { return time.Unix(int64(d-1)*86400, 0).UTC() }

func (d Date) String() string {
	if d == 0 {
		return ""
	}
	return d.civil().Format(dateLayout)
}

// MarshalText writes YYYY-MM-DD, no date as nothing.
func (d Date) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// InWords says how a date is written.
func (Date) InWords() string { return "a date such as 2027-01-31" }

// Check is nil for no date and for one in the years 1970 to 9998.
func (d Date) Check() error {
	if d != 0 && (d < 0 || d.civil().Year() > lastYear) {
		return fmt.Errorf("lies outside the years 1970 to %d", lastYear)
	}
	return nil
}

// ReadDate reads YYYY-MM-DD, or nothing for no date, in the years 1970 to 9998.
func ReadDate(text string) (d Date, err error) {
	if err := d.UnmarshalText([]byte(text)); err != nil {
		return 0, err
	}
	if err := d.Check(); err != nil {
		return 0, fmt.Errorf("%q %w", strictjson.Short(text), err)
	}
	return d, nil
}

// UnmarshalText reads YYYY-MM-DD, or nothing for no date, those too that older revisions
// may hold: what comes in is held to the bounds by Check.
func (d *Date) UnmarshalText(b []byte) error {
	if len(b) == 0 {
		*d = 0
		return nil
	}
	t, err := time.Parse(dateLayout, string(b))
	if err != nil || t.Year() < 1970 {
		return fmt.Errorf("%q is not a date such as 2027-01-31", strictjson.Short(string(b)))
	}
	*d = DateOf(t)
	return nil
}

// begins is the first instant of day d on the clocks of loc.
func (d Date) Begins(loc *time.Location) Instant {
	return At(beginning(d.civil(), loc))
}

// beginning is the first instant of a civil day in a time zone: where clocks leave out
// midnight, as they go on; where they show it twice, the first.
func beginning(day time.Time, loc *time.Location) time.Time {
	y, m, d := day.Date()
	t := time.Date(y, m, d, 0, 0, 0, 0, loc)
	if t.Day() == d && t.Add(-time.Hour).Day() != d {
		return t
	}
	// The day begins, or begins once more, as clocks are turned.
	before := t.Add(-4 * time.Hour)
	i := sort.Search(8*60*60, func(s int) bool {
		y2, m2, d2 := before.Add(time.Duration(s) * time.Second).Date()
		return y2 == y && m2 == m && d2 == d
	})
	return before.Add(time.Duration(i) * time.Second)
}

// Window is from (inclusive) until (exclusive), either end open when zero.
type Window struct {
	From  Instant `json:"from,omitempty"`
	Until Instant `json:"until,omitempty"`
}

// Holds says whether at lies in the window.
func (w Window) Holds(at Instant) bool {
	return at >= w.From && (w.Until == 0 || at < w.Until)
}

// end is the window's end with the open one as the last instant.
func (w Window) End() Instant {
	if w.Until == 0 {
		return never
	}
	return w.Until
}

// intersect is the time both windows hold; ok is false when there is none.
func (w Window) Intersect(v Window) (Window, bool) {
	from, until := max(w.From, v.From), min(w.End(), v.End())
	if from >= until {
		return Window{}, false
	}
	if until == never {
		until = 0
	}
	return Window{from, until}, true
}

// Days are so many times 24 hours.
func Days(n int) Instant { return Instant(n) * 24 * 60 * 60 * 1_000_000 }

// Over says whether the window has ended by an instant.
func (w Window) Over(at Instant) bool { return w.Until != 0 && w.Until <= at }

// both is when two windows hold at once; ok is false when never.
func (w Window) Both(o Window) (Window, bool) {
	w.From = max(w.From, o.From)
	if w.Until == 0 || o.Until != 0 && o.Until < w.Until {
		w.Until = o.Until
	}
	return w, w.Until == 0 || w.From < w.Until
}
