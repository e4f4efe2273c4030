package command

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"ableroster/wire"
)

// printing is a call whose output is kept.
func printing(output string) (*Call, *bytes.Buffer) {
	var out bytes.Buffer
	return &Call{Out: &out, Err: &out, Output: output, home: time.UTC, Screen: &screen{}, Command: Command{Words: "test"}}, &out
}

// hostile are texts that others may have written, to take over what shows them.
var hostile = []string{"\x1b[2Jgone", "a\rb", "tab\tbed", "line\nbreak", "\x7f", "=HYPERLINK(\"x\")", "+1", "-1", "@x", "\xff", "é,\"x\""}

// What others wrote moves no terminal's cursor, breaks no table and is no formula
// to a spreadsheet.
func TestWhatOthersWroteIsShownAndNoMore(t *testing.T) {
	rows := func() [][]string {
		var out [][]string
		for _, x := range hostile {
			out = append(out, []string{x, "next"})
		}
		return out
	}
	c, out := printing("table")
	c.Table(nil, []string{"first_column", "then"}, rows())
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	if len(lines) != len(hostile)+1 || !strings.HasPrefix(lines[0], "FIRST COLUMN") {
		t.Errorf("%d lines:\n%s", len(lines), out)
	}
	for _, r := range out.String() {
		if r != '\n' && (r < ' ' || r == 0x7f) {
			t.Errorf("%q reaches the terminal", r)
		}
	}
	c, out = printing("table")
	c.Say("%s and %s", hostile[0], hostile[3])
	if strings.ContainsAny(out.String(), "\x1b") || strings.Count(out.String(), "\n") != 1 {
		t.Errorf("%q", out)
	}
	c, out = printing("csv")
	c.Table(nil, []string{"a", "b"}, rows())
	read, err := csv.NewReader(out).ReadAll()
	if err != nil || len(read) != len(hostile)+1 {
		t.Fatal(len(read), err)
	}
	for i, r := range read[1:] {
		if strings.ContainsAny(r[0][:1], "=+-@") {
			t.Errorf("%q goes out as %q", hostile[i], r[0])
		}
	}
	c, out = printing("json")
	c.Table(map[string]string{"x": "<b>" + hostile[0]}, nil, rows())
	var back map[string]string
	if err := json.Unmarshal(out.Bytes(), &back); err != nil || back["x"] != "<b>"+hostile[0] || strings.Contains(out.String(), "\x1b") {
		t.Errorf("%s %v", out, err)
	}
}

func TestAnswersTakeEveryForm(t *testing.T) {
	for output, want := range map[string]string{"table": "in words\n", "csv": "done\r\nSaved it.\r\n", "json": "{\n  \"done\": \"Saved it.\"\n}\n"} {
		c, out := printing(output)
		if output == "table" {
			c.Answer(nil, func() { c.Say("in words") }, nil)
		} else {
			c.Done("Saved %s.", "it")
		}
		if out.String() != want {
			t.Errorf("%s: %q", output, out)
		}
	}
	from := time.Date(2027, 1, 31, 19, 0, 0, 0, time.FixedZone("", 3600))
	rows := effectRows(&wire.Preview{Effects: []wire.Effect{{
		Users: []wire.Ref{{Key: "a.b"}, {Key: "c.d"}}, UserCount: 5,
		Gained: []wire.Entitlement{{Application: wire.Ref{Key: "app"}, Action: "read", Target: "x", Own: true, Schedule: &wire.Schedule{Words: "mon 06:00 to 14:00"}, From: &from}},
		Lost:   []wire.Entitlement{{Application: wire.Ref{Key: "app"}, Action: "update", Target: "/"}},
	}}})
	want := [][]string{{"a.b;c.d", "3", "gains", "app", "read", "x", "own, mon 06:00 to 14:00", "2027-01-31T18:00:00Z", ""}, {"a.b;c.d", "3", "loses", "app", "update", "/", "", "", ""}}
	for i := range want {
		if strings.Join(rows[i], "|") != strings.Join(want[i], "|") || len(rows[i]) != len(effectHeader) {
			t.Errorf("%q, want %q", rows[i], want[i])
		}
	}
	if rows := effectRows(nil); rows != nil {
		t.Error(rows)
	}
	var p *wire.Problem
	if err := NotThere("no part “%s”", "x"); !errors.As(err, &p) || p.Detail != "no part “x”" {
		t.Error(err)
	}
}

// Days and instants are read in the zone of whoever types them, and nothing else is.
func TestTimesAreReadAsTheyAreTyped(t *testing.T) {
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	if err != nil {
		t.Fatal(err)
	}
	c, _ := printing("table")
	c.home = lisbon
	for text, want := range map[string]string{"": "", "2026-07-01": "2026-06-30T23:00:00Z", "2026-12-01": "2026-12-01T00:00:00Z", "2026-07-01T12:00:00+02:00": "2026-07-01T10:00:00Z"} {
		if got, err := c.Instant("from", text); err != nil || got != want {
			t.Errorf("%q is %q (%v)", text, got, err)
		}
	}
	// A day that is an end is the last one, whatever clocks do in its night.
	for text, want := range map[string]string{"2026-07-01": "2026-07-01T23:00:00Z", "2026-10-25": "2026-10-26T00:00:00Z", "2026-03-28": "2026-03-29T00:00:00Z", "2026-12-31": "2027-01-01T00:00:00Z", "2026-07-01T12:00:00Z": "2026-07-01T12:00:00Z"} {
		if got, err := c.Instant("until", text); err != nil || got != want {
			t.Errorf("until %q is %q (%v)", text, got, err)
		}
	}
	for _, text := range []string{"friday", "31/12/2026", "2026-02-30", "2026-1-1", "now", " "} {
		var u *usageError
		if got, err := c.Instant("until", text); !errors.As(err, &u) || !strings.Contains(err.Error(), "-until") {
			t.Errorf("%q is %q (%v)", text, got, err)
		}
		c.asOf = text
		if q, err := c.At(nil); !errors.As(err, &u) {
			t.Errorf("as of %q is %v (%v)", text, q, err)
		}
	}
	// A past day is read at its end, today now.
	c.asOf = "2026-03-01"
	if q, err := c.At(map[string]string{}); err != nil || q["as_of"] != "2026-03-01T23:59:59.999999Z" {
		t.Errorf("%v (%v)", q, err)
	}
	c.asOf = time.Now().In(lisbon).Format(time.DateOnly)
	q, err := c.At(map[string]string{})
	if err != nil {
		t.Fatal(err)
	}
	if at, err := time.Parse(time.RFC3339Nano, q["as_of"]); err != nil || at.After(time.Now()) || at.In(lisbon).Format(time.DateOnly) != c.asOf {
		t.Errorf("today is %v (%v)", q, err)
	}
}
