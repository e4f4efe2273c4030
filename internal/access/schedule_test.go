package access_test

import (
	"testing"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/laws"
)

func schedule(t *testing.T, from, until, zone string, days ...string) *calendar.Schedule {
	t.Helper()
	s, err := calendar.NewSchedule(days, from, until, zone)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// Schedules are judged by what the clock on the wall shows: when clocks go
// forward an hour is never shown, when they go back one is shown twice.
func TestSchedulesFollowTheClockOnTheWall(t *testing.T) {
	every := []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}
	for _, x := range []struct {
		name     string
		schedule *calendar.Schedule
		at       string
		want     bool
	}{
		{"on a weekday", schedule(t, "06:00", "14:00", "Europe/Lisbon", "wed"), "2026-11-25T06:00:00Z", true},
		{"just before it begins", schedule(t, "06:00", "14:00", "Europe/Lisbon", "wed"), "2026-11-25T05:59:59.999999Z", false},
		{"just before it ends", schedule(t, "06:00", "14:00", "Europe/Lisbon", "wed"), "2026-11-25T13:59:59.999999Z", true},
		{"as it ends", schedule(t, "06:00", "14:00", "Europe/Lisbon", "wed"), "2026-11-25T14:00:00Z", false},
		{"in summer the wall shows an hour more", schedule(t, "06:00", "14:00", "Europe/Lisbon", "wed"), "2026-07-22T05:00:00Z", true},
		{"past midnight, the evening", schedule(t, "22:00", "06:00", "UTC", "fri"), "2026-11-27T23:00:00Z", true},
		{"past midnight, the morning after", schedule(t, "22:00", "06:00", "UTC", "fri"), "2026-11-28T05:59:00Z", true},
		{"past midnight, the morning of", schedule(t, "22:00", "06:00", "UTC", "fri"), "2026-11-27T05:00:00Z", false},
		{"from and until alike is a whole day", schedule(t, "08:00", "08:00", "UTC", "fri"), "2026-11-28T07:59:00Z", true},
		{"and no more", schedule(t, "08:00", "08:00", "UTC", "fri"), "2026-11-28T08:00:00Z", false},
		{"clocks go forward: before the gap", schedule(t, "00:30", "01:30", "Europe/Lisbon", every...), "2026-03-29T00:59:59Z", true},
		{"clocks go forward: the wall shows two", schedule(t, "00:30", "01:30", "Europe/Lisbon", every...), "2026-03-29T01:00:00Z", false},
		{"clocks go back: the hour once", schedule(t, "01:00", "02:00", "Europe/Lisbon", every...), "2026-10-25T00:30:00Z", true},
		{"clocks go back: and again", schedule(t, "01:00", "02:00", "Europe/Lisbon", every...), "2026-10-25T01:30:00Z", true},
		{"a zone of half hours", schedule(t, "09:00", "17:00", "Asia/Kolkata", "mon"), "2026-11-23T03:30:00Z", true},
		{"and just before", schedule(t, "09:00", "17:00", "Asia/Kolkata", "mon"), "2026-11-23T03:29:00Z", false},
		{"the day is the wall's", schedule(t, "00:00", "01:00", "Pacific/Auckland", "tue"), "2026-11-23T11:30:00Z", true},
		{"clocks that move by half an hour", schedule(t, "02:00", "02:30", "Australia/Lord_Howe", every...), "2026-10-03T15:30:00Z", false},
	} {
		at, err := time.Parse(time.RFC3339Nano, x.at)
		if err != nil {
			t.Fatal(err)
		}
		if got := x.schedule.Holds(calendar.At(at)); got != x.want {
			t.Errorf("%s: %s at %s: %v", x.name, x.schedule, x.at, got)
		}
		if got := laws.ScheduledNaively(x.schedule, calendar.At(at)); got != x.want {
			t.Errorf("%s: the oracle says %v", x.name, got)
		}
	}
}
