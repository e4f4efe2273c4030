package rosterfile_test

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/rosterfile"
)

var day = time.Date(2026, 11, 25, 10, 0, 0, 0, time.UTC)

func all(fact.FactKind, uint32) bool { return true }

// port is the demo organisation as it is on the day.
func port(t testing.TB) *access.Snapshot {
	t.Helper()
	s, err := demo.Port(day)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// loaded applies what a file says to a snapshot.
func loaded(t testing.TB, s *access.Snapshot, content []byte) (*access.Snapshot, rosterfile.Plan) {
	t.Helper()
	doc, faults := rosterfile.Read(content)
	if len(faults) > 0 {
		t.Fatalf("%+v", faults)
	}
	plan := rosterfile.Make(doc, s)
	if len(plan.Faults) > 0 {
		t.Fatalf("%+v", plan.Faults)
	}
	d := change.NewDraft(s)
	for i, op := range plan.Operations {
		d.Apply(i, op, calendar.At(day))
	}
	d.Finish()
	for _, f := range d.Faults {
		t.Errorf("%s: %s", plan.Places[f.Operation], f.Error())
	}
	if t.Failed() {
		t.FailNow()
	}
	return d.Seal(d.Revision, calendar.At(day)), plan
}

func written(t testing.TB, s *access.Snapshot) string {
	t.Helper()
	var text bytes.Buffer
	err := rosterfile.Export(s, all).WriteYAML(&text)
	out := text.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}

// The port written down, and loaded where only its people are, is the port; once
// more changes nothing, and what is written down again is the same text.
func TestTheFileOfThePortMakesThePort(t *testing.T) {
	s := port(t)
	text := written(t, s)
	bare := change.NewDraft(access.Empty())
	i := 0
	for u := range s.Users() {
		bare.Apply(i, &people.AddUser{Personal: u.Personal, UserKind: u.UserKind, UserFacts: fact.UserFacts{Unit: u.Unit, Title: u.Title, Employment: u.Employment}}, calendar.At(day))
		i++
	}
	if len(bare.Faults) > 0 {
		t.Fatal(bare.Faults)
	}
	made, plan := loaded(t, bare.Seal(1, calendar.At(day)), []byte(text))
	if len(plan.Operations) < 300 {
		t.Errorf("%d operations", len(plan.Operations))
	}
	if again := written(t, made); again != text {
		t.Errorf("what was loaded is written down otherwise:\n%s", firstDifference(text, again))
	}
	if _, plan := loaded(t, made, []byte(text)); len(plan.Operations) > 0 {
		t.Errorf("loading it twice makes %d operations, the first for %s: %+v", len(plan.Operations), plan.Places[0], plan.Operations[0])
	}
	if _, plan := loaded(t, s, []byte(text)); len(plan.Operations) > 0 {
		t.Errorf("loading it where it came from makes %d operations, the first for %s: %+v", len(plan.Operations), plan.Places[0], plan.Operations[0])
	}
}

func firstDifference(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range min(len(x), len(y)) {
		if x[i] != y[i] {
			return fmt.Sprintf("line %d: %q, then %q", i+1, x[i], y[i])
		}
	}
	return "one is longer"
}

// A list in a file is the whole list; what a file does not speak of stays.
func TestAListIsTheWholeListAndTheRestStays(t *testing.T) {
	s, _ := loaded(t, access.Empty(), []byte(`
roster_file: 1
applications:
  quays:
    label: Quays
    actions: [{key: read}, {key: update}]
    resources: {boats: {label: Boats}, lamps: {}}
    fences: [{pattern: lamps, actions: [update], why: wardens only}]
    roles:
      reader: {permissions: [{actions: [read], pattern: /}]}
      keeper: {risk: medium, max_days: 30, permissions: [{actions: [update], pattern: lamps}, {actions: [update], pattern: boats, own: true}], includes: [reader]}
groups:
  crew: {unit: marine, holds: [{role: quays/reader}, {role: quays/keeper, until: "2026-12-01T00:00:00Z", scopes: [{application: quays, pattern: boats}], schedule: {days: [mon], from: "06:00", until: "14:00", time_zone: Europe/Lisbon}}]}
  night: {in: [crew]}
expectations:
  lamps-stay-dark: {nobody: true, application: quays, action: update, pattern: lamps, blocking: true}
`))
	before := written(t, s)
	s, plan := loaded(t, s, []byte(`
roster_file: 1
applications:
  quays:
    fences: [{pattern: lamps, actions: [update], why: wardens and keepers only}]
    roles:
      keeper: {permissions: [{actions: [update], pattern: boats, own: true}], includes: []}
groups: {night: {in: []}}
`))
	var verbs []string
	for _, op := range plan.Operations {
		verbs = append(verbs, op.Verb())
	}
	if got, want := strings.Join(verbs, " "), "remove_fence add_fence remove_permission exclude_role remove_member"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	after := written(t, s)
	for _, stays := range []string{"label: Boats", "risk: medium", "max_days: 30", "lamps-stay-dark", `until: "2026-12-01T00:00:00Z"`, "time_zone: Europe/Lisbon", "pattern: boats"} {
		if !strings.Contains(before, stays) || !strings.Contains(after, stays) {
			t.Errorf("%q is not in both:\n%s", stays, after)
		}
	}
}

// What is wrong with a file is said all at once, each with its line.
func TestFaultsOfAFileAreAllNamedWithTheirLines(t *testing.T) {
	for name, x := range map[string]struct{ text, want string }{
		"nothing":             {"", "0 is empty"},
		"no YAML":             {"roster_file: 1\napplications: [", "is not YAML"},
		"another file":        {"- a\n- b", "1 is not a roster file"},
		"a later version":     {"roster_file: 9", "1 is version 9"},
		"no version":          {"applications: {}", "lacks the field roster_file"},
		"unknown fields":      {"roster_file: 1\napplications:\n  quays:\n    colour: red\n    roles:\n      x: {powers: all}", "4 is not a field here; 6 is not a field here"},
		"wrong types":         {"roster_file: 1\napplications:\n  quays:\n    label: [a]\n    state: sleepy\n    roles:\n      x: {max_days: long}", "4 must be a text (put it in quotes if it looks like something else); 5 must be one of \"draft, rehearsal, live, retired\"; 7 must be a integer"},
		"a role twice":        {"roster_file: 1\nroles:\n  a: {label: x}\n  b: {}\n  a: {label: y}", "a"},
		"a blank":             {"roster_file: 1\nroles:\n  a:\n  b: {}", "is blank"},
		"an alias":            {"roster_file: 1\nroles:\n  a: &x {label: x}\n  b: *x", "3 uses an anchor"},
		"a merge":             {"roster_file: 1\nroles:\n  a: {<<: {label: x}}", "uses a merge"},
		"a tag":               {"roster_file: 1\nroles:\n  a: {label: !!binary abc}", "uses a tag"},
		"two documents":       {"roster_file: 1\n---\nroster_file: 1", "2 begins another document"},
		"not UTF-8":           {"roster_file: 1\nroles:\n  a: {label: \xff}", "3 is not UTF-8"},
		"nesting":             {"roster_file: " + strings.Repeat("[", 5000), "nests too deep"},
		"nesting by line":     {"roster_file:\n" + strings.Repeat("[\n", 50_000), "nests too deep"},
		"nesting by dashes":   {"roster_file: \n " + strings.Repeat("- ", 9_000) + "1", "nests too deep"},
		"a line without end":  {"roster_file: " + strings.Repeat("x", 30_000), "bytes in one line"},
		"a billion laughs":    {"roster_file: 1\na: &a [x, x]\nb: &b [*a, *a]\nc: &c [*b, *b]", "2 uses an anchor"},
		"built in":            {"roster_file: 1\napplications: {able-roster: {label: Mine}}\ngroups: {public: {label: Everybody}}", "2 is built in"},
		"a time that is none": {"roster_file: 1\ngroups:\n  g:\n    holds:\n      - {role: r, until: next week}", "5 "},
	} {
		t.Run(name, func(t *testing.T) {
			doc, faults := rosterfile.Read([]byte(x.text))
			if doc != nil && len(faults) == 0 {
				faults = rosterfile.Make(doc, access.Empty()).Faults
			}
			var got []string
			for _, f := range faults {
				got = append(got, fmt.Sprint(f.Line, " ", f.Message))
			}
			if text := strings.Join(got, "; "); !strings.Contains(text, x.want) || len(faults) == 0 {
				t.Errorf("%q, want %q", text, x.want)
			}
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("roster_file: 1\nroles: {a: {label: x}}"))
	f.Add([]byte("roster_file: 1\napplications:\n  quays:\n    resources: {/: {open: true}, a/b: {}}\n"))
	f.Fuzz(func(t *testing.T, content []byte) {
		doc, faults := rosterfile.Read(content)
		if (doc == nil) == (len(faults) == 0) {
			t.Fatalf("%v with %v", doc, faults)
		}
		if doc != nil {
			rosterfile.Make(doc, access.Empty())
		}
	})
}

// A file is written entry by entry: ten thousand groups take no more memory at once than
// ten, and are the file that they would be as one.
func TestALongFileIsWrittenEntryByEntry(t *testing.T) {
	long := rosterfile.File{Version: rosterfile.Version, Groups: map[string]rosterfile.Group{}}
	for i := range 10_000 {
		label := fmt.Sprintf("Group %d: the one", i)
		long.Groups[fmt.Sprintf("group-%05d", i)] = rosterfile.Group{Label: &label, In: []string{"a", "b"}}
	}
	max_days, lines := 0, 0
	err := long.WriteYAML(writer(func(p []byte) (int, error) {
		max_days, lines = max(max_days, len(p)), lines+bytes.Count(p, []byte("\n"))
		return len(p), nil
	}))
	if err != nil || max_days > 1000 || lines != 2+3*10_000 {
		t.Errorf("%d lines, at most %d bytes at once: %v", lines, max_days, err)
	}
	broken := errors.New("broken")
	if err := long.WriteYAML(writer(func([]byte) (int, error) { return 0, broken })); !errors.Is(err, broken) {
		t.Error(err)
	}
}

type writer func([]byte) (int, error)

func (w writer) Write(p []byte) (int, error) { return w(p) }
