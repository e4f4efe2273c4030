package calendar

import (
	"testing"
	"time"
)

// What lasts until a day ends reads as that day, and is read back as it was, in every zone and
// whatever clocks do in between.
func TestTheLastDayIsThatDay(t *testing.T) {
	for _, name := range []string{"UTC", "Europe/Lisbon", "Asia/Kolkata", "America/St_Johns", "Australia/Lord_Howe", "Pacific/Auckland", "America/Santiago", "America/Havana", "Asia/Beirut"} {
		zone, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		for i := range 800 {
			day := time.Date(2026, 1, 1+i, 12, 0, 0, 0, zone)
			end := (DateOf(day) + 1).Begins(zone).Time()
			if want := "the end of " + day.Format("2 Jan 2006"); UntilWords(end, zone) != want {
				t.Errorf("%s: what lasts until %s ends reads “%s”", name, day.Format(time.DateOnly), UntilWords(end, zone))
			}
			if last := end.Add(-time.Second); last.In(zone).Format(time.DateOnly) != day.Format(time.DateOnly) {
				t.Errorf("%s: %s ends %s", name, day.Format(time.DateOnly), end)
			}
		}
		noon := time.Date(2026, 7, 1, 12, 30, 0, 0, zone)
		if got := UntilWords(noon, zone) + ", " + FromWords(noon, zone); got != "1 Jul 2026 12:30, 1 Jul 2026 12:30" {
			t.Error(got)
		}
		if got := FromWords(time.Date(2026, 7, 1, 0, 0, 0, 0, zone), zone); got != "1 Jul 2026" {
			t.Error(got)
		}
	}
}
