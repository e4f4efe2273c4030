package access_test

import (
	"fmt"
	"strings"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
)

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
		if _, err := calendar.ReadInstant(text); (err == nil) != ok {
			t.Errorf("%s: %v", text, err)
		}
		raw := fmt.Sprintf(`{"op":"grant","user":"a","role":"b","until":%q}`, text)
		_, faults := change.DecodeOperation([]byte(raw))
		if (len(faults) == 0) != ok || !ok && faults[0].Field != "until" {
			t.Errorf("%s: %+v", raw, faults)
		}
	}
	for text, ok := range map[string]bool{"9998-12-31": true, "9999-01-01": false, "9999-12-31": false, "1970-01-01": true, "1969-12-31": false} {
		if _, err := calendar.ReadDate(text); (err == nil) != ok {
			t.Errorf("%s: %v", text, err)
		}
		if _, faults := change.DecodeOperation([]byte(fmt.Sprintf(`{"op":"update_user","user":"a","end_date":%q}`, text))); (len(faults) == 0) != ok {
			t.Errorf("%s: %+v", text, faults)
		}
	}
	for _, stored := range []string{
		`{"op":"ask_nothing"}`,
		`{"op":"grant","user":"a","role":"b","until":"10000-01-01T04:59:59Z"}`,
		`{"op":"update_user","user":"a","end_date":"9999-12-31"}`,
	} {
		if _, err := change.DecodeStored([]byte(stored)); (err == nil) == strings.Contains(stored, "nothing") {
			t.Errorf("%s: %v", stored, err)
		}
	}
	var i calendar.Instant
	if err := i.UnmarshalText([]byte("10000-01-01T04:59:59Z")); err != nil {
		t.Fatal(err)
	}
	if raw, _ := i.MarshalText(); string(raw) != "10000-01-01T04:59:59Z" {
		t.Errorf("it is written as %s", raw)
	}
}
