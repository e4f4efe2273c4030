package calendar

import (
	"strings"
	"testing"
)

// A schedule on one line comes to what its words say, whatever its days are called.
func TestAScheduleIsReadFromOneLine(t *testing.T) {
	for line, want := range map[string]string{
		"weekdays 06:00-14:00 Europe/Lisbon":            "weekdays 06:00 to 14:00, Europe/Lisbon",
		"mon,tue,wed,thu,fri 06:00-14:00 Europe/Lisbon": "weekdays 06:00 to 14:00, Europe/Lisbon",
		"weekends,fri  22:00-02:00 UTC":                 "fri, sat, sun 22:00 to 02:00, UTC",
		"every-day 00:00-12:00 UTC":                     "every day 00:00 to 12:00, UTC",
	} {
		x, err := ReadScheduleLine(line)
		if err != nil {
			t.Errorf("%s: %v", line, err)
			continue
		}
		s, err := NewSchedule(x.Days, x.From, x.Until, x.TimeZone)
		if err != nil || s.String() != want {
			t.Errorf("%s reads as %v, %v", line, s, err)
		}
	}
	for _, line := range []string{"", "weekdays", "weekdays 06:00-14:00", "weekdays 06:00 Europe/Lisbon", "mon tue 06:00-14:00 UTC"} {
		if _, err := ReadScheduleLine(line); err == nil || !strings.Contains(err.Error(), "is not days, hours and a time zone") {
			t.Errorf("%q: %v", line, err)
		}
	}
}
