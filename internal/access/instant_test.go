package access

import (
	"fmt"
	"math/rand/v2"
	"strings"
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
		if got := d.begins(lisbon).Time().Format(time.RFC3339); got != want {
			t.Errorf("%s begins at %s, want %s", day, got, want)
		}
	}
}

// Intervals are held to a set of instants written out one by one.
func TestIntervalsAreSetsOfInstants(t *testing.T) {
	const most = 24
	rng := rand.New(rand.NewPCG(3, 4))
	window := func() Window {
		w := Window{Instant(rng.IntN(most)), Instant(rng.IntN(most + 1))}
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
			if v[i-1].end() >= v[i].From {
				t.Fatalf("%s: %v is not disjoint and in order", what, v)
			}
		}
	}
	for range 5000 {
		var a, b Intervals
		for range rng.IntN(4) {
			a = a.add(window())
		}
		for range rng.IntN(4) {
			b = b.add(window())
		}
		w := window()
		as, bs := instants(a), instants(b)
		same("union", a.union(b), func(i int) bool { return as[i] || bs[i] })
		same("intersection", a.intersect(b), func(i int) bool { return as[i] && bs[i] })
		same("difference", a.minus(b), func(i int) bool { return as[i] && !bs[i] })
		same("within", a.within(w), func(i int) bool { return as[i] && w.Holds(Instant(i)) })
	}
}

// Bounds hold after conversion to UTC, wherever an instant or a day comes in; what an
// older ledger holds beyond them is read all the same.
func TestInstantsAndDaysHaveBounds(t *testing.T) {
	for text, ok := range map[string]bool{
		"9998-12-31T23:59:59Z":      true,
		"9998-12-31T23:59:59-05:00": false, // in UTC it is 9999
		"9999-01-01T02:00:00+05:00": true,  // in UTC it is 9998
		"9999-12-31T23:59:59-05:00": false,
		"1970-01-01T00:00:00Z":      false, // stands for an open end
		"1970-01-01T03:00:00+05:00": false,
		"1970-01-01T00:00:01Z":      true,
		"":                          true,
	} {
		if _, err := ReadInstant(text); (err == nil) != ok {
			t.Errorf("%s: %v", text, err)
		}
		raw := fmt.Sprintf(`{"op":"grant","user":"a","role":"b","until":%q}`, text)
		_, faults := DecodeOperation([]byte(raw))
		if (len(faults) == 0) != ok || !ok && faults[0].Field != "until" {
			t.Errorf("%s: %+v", raw, faults)
		}
	}
	for text, ok := range map[string]bool{"9998-12-31": true, "9999-01-01": false, "9999-12-31": false, "1970-01-01": true, "1969-12-31": false} {
		if _, err := ReadDate(text); (err == nil) != ok {
			t.Errorf("%s: %v", text, err)
		}
		if _, faults := DecodeOperation([]byte(fmt.Sprintf(`{"op":"update_user","user":"a","end_date":%q}`, text))); (len(faults) == 0) != ok {
			t.Errorf("%s: %+v", text, faults)
		}
	}
	for _, stored := range []string{
		`{"op":"ask_nothing"}`,
		`{"op":"grant","user":"a","role":"b","until":"10000-01-01T04:59:59Z"}`,
		`{"op":"update_user","user":"a","end_date":"9999-12-31"}`,
	} {
		if _, err := DecodeStored([]byte(stored)); (err == nil) == strings.Contains(stored, "nothing") {
			t.Errorf("%s: %v", stored, err)
		}
	}
	var i Instant
	if err := i.UnmarshalText([]byte("10000-01-01T04:59:59Z")); err != nil {
		t.Fatal(err)
	}
	if raw, _ := i.MarshalText(); string(raw) != "10000-01-01T04:59:59Z" {
		t.Errorf("it is written as %s", raw)
	}
}
