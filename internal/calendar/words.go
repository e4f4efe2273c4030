package calendar

import "time"

const (
	dayForm    = "2 Jan 2006"
	minuteForm = dayForm + " 15:04"
)

// Words says a day: "2 Jan 2026".
func (d Date) Words() string { return d.civil().Format(dayForm) }

// FromWords says when something begins, in a time zone: the day alone where it begins with it.
func FromWords(t time.Time, zone *time.Location) string {
	t = t.In(zone)
	if t.Equal(startOfDay(t)) {
		return t.Format(dayForm)
	}
	return t.Format(minuteForm)
}

// UntilWords says when something ends, in a time zone: where that is as a day begins, its last
// day is the one before.
func UntilWords(t time.Time, zone *time.Location) string {
	t = t.In(zone)
	if t.Equal(startOfDay(t)) {
		return "the end of " + t.Add(-time.Second).Format(dayForm)
	}
	return t.Format(minuteForm)
}

// LastDay is the last day of what ends as a day begins in a time zone; blank for what ends within
// one, or not at all.
func LastDay(until Instant, zone *time.Location) string {
	t := until.Time().In(zone)
	if until == 0 || !t.Equal(startOfDay(t)) {
		return ""
	}
	return t.Add(-time.Second).Format(time.DateOnly)
}

func startOfDay(t time.Time) time.Time { return beginning(t, t.Location()) }
