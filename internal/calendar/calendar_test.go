package calendar

import (
	"encoding/json"
	"math/rand/v2"
	"testing"
	"time"
)

func TestInstantsAreReadAndWrittenAsRFC3339(t *testing.T) {
	var i Instant
	for text, want := range map[string]string{
		"2027-01-31T18:00:00Z":             "2027-01-31T18:00:00Z",
		"2027-01-31T18:00:00.123456+01:00": "2027-01-31T17:00:00.123456Z",
	} {
		if err := i.UnmarshalText([]byte(text)); err != nil {
			t.Fatal(err)
		}
		if got, _ := i.MarshalText(); string(got) != want {
			t.Errorf("%s came back as %s", text, got)
		}
	}
	for _, bad := range []string{"2027-01-31", "yesterday", "1969-12-31T23:59:59Z", "1970-01-01T00:00:00Z", "+12027-01-31T18:00:00Z"} {
		if err := i.UnmarshalText([]byte(bad)); err == nil {
			t.Errorf("%q was taken for an instant", bad)
		}
	}
	if err := i.UnmarshalText(nil); err != nil || i != 0 {
		t.Errorf("nothing is the open end: %v %v", i, err)
	}
}

func TestDatesAreWholeDays(t *testing.T) {
	var d Date
	for _, text := range []string{"1970-01-01", "2024-02-29", "2026-11-25", "9999-12-31"} {
		if err := d.UnmarshalText([]byte(text)); err != nil || d.String() != text || d == 0 {
			t.Errorf("%s came back as %s (%v)", text, d, err)
		}
	}
	for _, bad := range []string{"2026-02-29", "2026-2-1", "1969-12-31", "25.11.2026", "2026-11-25T00:00:00Z"} {
		if err := d.UnmarshalText([]byte(bad)); err == nil {
			t.Errorf("%q was taken for a date", bad)
		}
	}
}

// Days begin at midnight on the organisation's clocks, whichever way they have
// just been turned.
func TestADayBeginsOnTheClocksOfTheZone(t *testing.T) {
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	if err != nil {
		t.Fatal(err)
	}
	for day, want := range map[string]string{
		"2026-03-29": "2026-03-29T00:00:00Z", // clocks go forward at one
		"2026-03-30": "2026-03-29T23:00:00Z",
		"2026-10-25": "2026-10-24T23:00:00Z", // and back at two
		"2026-10-26": "2026-10-26T00:00:00Z",
	} {
		var d Date
		if err := d.UnmarshalText([]byte(day)); err != nil {
			t.Fatal(err)
		}
		if got := d.Begins(lisbon).Time().Format(time.RFC3339); got != want {
			t.Errorf("%s begins at %s, want %s", day, got, want)
		}
	}
}

// Intervals are held to a set of instants written out one by one.
func TestIntervalsAreSetsOfInstants(t *testing.T) {
	const most = 24
	rng := rand.New(rand.NewPCG(3, 4))
	window := func() Window {
		w := Window{From: Instant(rng.IntN(most)), Until: Instant(rng.IntN(most + 1))}
		if w.Until != 0 && w.Until <= w.From {
			w.Until = w.From + 1
		}
		return w
	}
	instants := func(v Intervals) (out [most + 2]bool) {
		for i := range out {
			out[i] = v.Holds(Instant(i))
		}
		return out
	}
	same := func(what string, v Intervals, want func(i int) bool) {
		t.Helper()
		for i, got := range instants(v) {
			if got != want(i) {
				t.Fatalf("%s: %v at %d is %v", what, v, i, got)
			}
		}
		for i := 1; i < len(v); i++ {
			if v[i-1].End() >= v[i].From {
				t.Fatalf("%s: %v is not disjoint and in order", what, v)
			}
		}
	}
	for range 5000 {
		var a, b Intervals
		for range rng.IntN(4) {
			a = a.Add(window())
		}
		for range rng.IntN(4) {
			b = b.Add(window())
		}
		w := window()
		as, bs := instants(a), instants(b)
		same("union", a.Union(b), func(i int) bool { return as[i] || bs[i] })
		same("intersection", a.Intersect(b), func(i int) bool { return as[i] && bs[i] })
		same("difference", a.Minus(b), func(i int) bool { return as[i] && !bs[i] })
		same("within", a.Within(w), func(i int) bool { return as[i] && w.Holds(Instant(i)) })
	}
}

func schedule(t *testing.T, from, until, zone string, days ...string) *Schedule {
	t.Helper()
	s, err := NewSchedule(days, from, until, zone)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestSchedulesThatAreRefused(t *testing.T) {
	for _, x := range []struct {
		days              []string
		from, until, zone string
	}{
		{nil, "06:00", "14:00", "UTC"}, {[]string{"monday"}, "06:00", "14:00", "UTC"}, {[]string{"mon"}, "6:00", "14:00", "UTC"}, {[]string{"mon"}, "06:00", "24:00", "UTC"},
		{[]string{"mon"}, "06:00", "14:60", "UTC"}, {[]string{"mon"}, "06:00", "14:00", "Atlantis/Port"}, {[]string{"mon"}, "06:00", "14:00", ""}, {[]string{"mon"}, "06:00", "14:00", "Local"},
	} {
		if s, err := NewSchedule(x.days, x.from, x.until, x.zone); err == nil {
			t.Errorf("%v was taken as %s", x, s)
		}
	}
}

func TestSchedulesAreKeptAndSaid(t *testing.T) {
	for want, s := range map[string]*Schedule{
		"weekdays 06:00 to 14:00, Europe/Lisbon":  schedule(t, "06:00", "14:00", "Europe/Lisbon", "fri", "thu", "wed", "tue", "mon"),
		"weekends 22:00 to 06:00, UTC":            schedule(t, "22:00", "06:00", "UTC", "sat", "sun"),
		"mon, sun 08:00 to 08:00, Asia/Kolkata":   schedule(t, "08:00", "08:00", "Asia/Kolkata", "sun", "mon"),
		"every day 20:00 to 06:00, Europe/Lisbon": schedule(t, "20:00", "06:00", "Europe/Lisbon", "mon", "tue", "wed", "thu", "fri", "sat", "sun"),
	} {
		if s.String() != want {
			t.Errorf("%s, want %s", s, want)
		}
		raw, err := json.Marshal(s)
		if err != nil {
			t.Fatal(err)
		}
		back := &Schedule{}
		if err := json.Unmarshal(raw, back); err != nil || !back.Equal(s) {
			t.Errorf("%s came back as %s (%v)", raw, back, err)
		}
	}
}
