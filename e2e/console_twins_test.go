package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
	"ableroster/internal/patterns"
	"ableroster/testkit"
)

// twins is a page that knows what the console works out by itself, to be held to
// what the service says of the same.
func twins(t *testing.T) *testkit.Tab {
	t.Helper()
	b := testkit.NewTab(t, "about:blank")
	b.Load("twins", "shared/pattern.ts", "shared/key.ts", "shared/words.ts", "shared/window.ts", "pages/users/filter.ts", "pages/roles/holds.ts")
	return b
}

// each is what an expression over x makes of every one of some things.
func each[In, Out any](t *testing.T, b *testkit.Tab, things []In, expression string) []Out {
	t.Helper()
	raw, err := json.Marshal(things)
	if err != nil {
		t.Fatal(err)
	}
	var out []Out
	b.Eval(fmt.Sprintf(`%s.map(x => %s)`, raw, expression), &out)
	if len(out) != len(things) {
		t.Fatalf("%d answers to %d", len(out), len(things))
	}
	return out
}

// Where the console draws what a pattern covers and a fence keeps out, it is what
// the service decides.
func TestTheConsoleDrawsWhatPatternsCover(t *testing.T) {
	b, rng := twins(t), rand.New(rand.NewPCG(7420, 1))
	type question struct{ Pattern, Path, Fence string }
	segments := []string{"a", "ab", "a.b", "north-1", "north-", "n(1)", "+", "$^", "b[c]", "é", "a b", `a\b`}
	starred := append([]string{"*", "a*", "*b", "n*-*", "*(*", "*.*", "**", "*1"}, segments...)
	path := func(of []string) string {
		out := make([]string, rng.IntN(4))
		for i := range out {
			out[i] = of[rng.IntN(len(of))]
		}
		if len(out) == 0 {
			return "/"
		}
		return strings.Join(out, "/")
	}
	var all []question
	for range 30_000 {
		q := question{path(starred), path(segments), path(starred)}
		if q.Fence == "/" {
			q.Fence = "a*"
		}
		all = append(all, q)
	}
	covered, fenced := 0, 0
	covers := each[question, bool](t, b, all, "twins.covers(x.Pattern, x.Path)")
	keeps := each[question, bool](t, b, all, `twins.fenced([{pattern: x.Fence, actions: ["read"]}], x.Pattern, "read", x.Path)`)
	for i, q := range all {
		if patterns.CheckPattern(q.Pattern) != nil || patterns.CheckPath(q.Path) != nil || patterns.CheckPattern(q.Fence) != nil {
			t.Fatalf("%+v", q)
		}
		if want := patterns.Covers(q.Pattern, q.Path); covers[i] != want {
			t.Fatalf("%q covers %q: the console says %v", q.Pattern, q.Path, covers[i])
		} else if want {
			covered++
		}
		if want := patterns.Covers(q.Fence, q.Path) && !patterns.Contains(q.Fence, q.Pattern); keeps[i] != want {
			t.Fatalf("a fence on %q keeps %q from %q: the console says %v", q.Fence, q.Pattern, q.Path, keeps[i])
		} else if want {
			fenced++
		}
	}
	if covered < 1000 || fenced < 1000 {
		t.Errorf("%d covered, %d fenced", covered, fenced)
	}
}

// A cell of a role's grid says that it is held where a permission reaches it, by the
// nearest; fenced where only fences keep all of them from it; and nothing else.
func TestCellsOfARoleSayWhatItHolds(t *testing.T) {
	b, rng := twins(t), rand.New(rand.NewPCG(7420, 5))
	type ref struct {
		ID string `json:"id"`
	}
	type permission struct {
		Role    ref      `json:"role"`
		Actions []string `json:"actions"`
		Pattern string   `json:"pattern"`
		Own     bool     `json:"own"`
	}
	type fence struct {
		Actions []string `json:"actions"`
		Pattern string   `json:"pattern"`
	}
	type question struct {
		Here   []permission
		Fences []fence
		Action string
		Path   string
	}
	pick := func(all ...string) string { return all[rng.IntN(len(all))] }
	pattern := func() string { return pick("/", "a", "a/b", "a/*", "*", "a/b*", "b", "a/b1") }
	var all []question
	for range 20_000 {
		q := question{Action: pick("read", "update"), Path: pick("a", "a/b", "a/b1", "b", "/"), Here: []permission{}, Fences: []fence{}}
		for range rng.IntN(4) {
			q.Here = append(q.Here, permission{ref{pick("itself", "other")}, []string{pick("read", "update", "*")}, pattern(), rng.IntN(4) == 0})
		}
		for range rng.IntN(2) {
			q.Fences = append(q.Fences, fence{[]string{pick("read", "update", "*")}, pick("a", "a/b", "a/*")})
		}
		all = append(all, q)
	}
	does := func(actions []string, action string) bool { return actions[0] == "*" || actions[0] == action }
	counts := map[string]int{}
	for i, got := range each[question, string](t, b, all, `twins.holds("itself", x.Here, x.Fences, x.Action, x.Path).how`) {
		q, want := all[i], "none"
		rank := map[string]int{"none": 0, "fenced": 1, "included": 2, "wider": 3, "own": 4}
		for _, p := range q.Here {
			how := "wider"
			switch {
			case !does(p.Actions, q.Action) || !patterns.Covers(p.Pattern, q.Path):
				continue
			case slices.ContainsFunc(q.Fences, func(f fence) bool {
				return does(f.Actions, q.Action) && patterns.Covers(f.Pattern, q.Path) && !patterns.Contains(f.Pattern, p.Pattern)
			}):
				how = "fenced"
			case p.Role.ID != "itself":
				how = "included"
			case p.Pattern == q.Path && !p.Own:
				how = "own"
			}
			if rank[how] > rank[want] {
				want = how
			}
		}
		if got != want {
			t.Fatalf("%+v is %s, want %s", q, got, want)
		}
		counts[got]++
	}
	for how, n := range counts {
		if n < 300 {
			t.Errorf("%d are %s", n, how)
		}
	}
}

// A key that the console makes of a label is one the service takes, whatever
// the label.
func TestKeysMadeOfLabelsAreKeys(t *testing.T) {
	b, rng := twins(t), rand.New(rand.NewPCG(7420, 2))
	letters := []rune("abzABZ019 -_./äÉßøłд漢‐'\"&ﬁ")
	labels := []string{"", "  ", "Night gate", "2027 season", "-", "Ünïts", "a--b", "9", strings.Repeat("long label ", 20), "role-7", "user-42", "Group 3"}
	for range 3000 {
		var label strings.Builder
		for range rng.IntN(90) {
			label.WriteRune(letters[rng.IntN(len(letters))])
		}
		labels = append(labels, label.String())
	}
	key := regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)
	for i, k := range each[string, string](t, b, labels, "twins.keyOf(x)") {
		if k != "" && (!key.MatchString(k) || len(k) > 64) {
			t.Errorf("%q becomes the key %q", labels[i], k)
		}
	}
}

// The days of a window end where the service has them end, also on the days on
// which clocks change.
func TestDaysEndWhereTheServiceHasThemEnd(t *testing.T) {
	b := twins(t)
	type day struct{ Day, Zone string }
	var days []day
	for _, zone := range []string{"Europe/Lisbon", "UTC", "America/New_York", "Asia/Kolkata", "Australia/Lord_Howe", "Pacific/Apia", "Pacific/Chatham", "America/St_Johns", "America/Santiago", "America/Havana", "Asia/Beirut"} {
		for i := range 400 {
			days = append(days, day{time.Date(2025, 6, 1+i, 0, 0, 0, 0, time.UTC).Format(time.DateOnly), zone})
		}
	}
	windows := each[day, struct{ From, Until time.Time }](t, b, days, "twins.windowOf({first: x.Day, last: x.Day}, x.Zone)")
	ends := each[day, time.Time](t, b, days, "twins.endOfDay(x.Day, x.Zone)")
	for i, d := range days {
		zone, err := time.LoadLocation(d.Zone)
		if err != nil {
			t.Fatal(err)
		}
		date, err := calendar.ReadDate(d.Day)
		if err != nil {
			t.Fatal(err)
		}
		first, next := date.Begins(zone).Time(), (date + 1).Begins(zone).Time()
		if !windows[i].From.Equal(first) || !windows[i].Until.Equal(next) || !ends[i].Equal(next.Add(-time.Millisecond)) {
			t.Errorf("%s in %s is from %s until %s, ends at %s; want %s to %s", d.Day, d.Zone, windows[i].From, windows[i].Until, ends[i], first.UTC(), next.UTC())
		}
	}
}

// condition and built are what people build a filter of.
type condition struct {
	Attribute string `json:"attribute"`
	Operator  string `json:"operator"`
	Value     string `json:"value"`
}

type built struct {
	Any        bool        `json:"any"`
	Conditions []condition `json:"conditions"`
}

type column struct {
	Key   string `json:"key"`
	Label string `json:"label"`
	Type  string `json:"type"`
}

// columns are some of each type, as the console knows them, and as the service.
var (
	columns      = []column{{"name", "Name", "text"}, {"title", "Title", "text"}, {"unit", "Unit", "text"}, {"end_date", "Last day", "date"}, {"level", "Level", "number"}, {"on_call", "On call", "truth"}}
	columnSchema = filter.Schema{{Name: "display_name", Type: filter.String}, {Name: "title", Type: filter.String}, {Name: "unit", Type: filter.String}, {Name: "within", Type: filter.String},
		{Name: "end_date", Type: filter.Day}, {Name: "level", Type: filter.Number}, {Name: "on_call", Type: filter.Boolean}}
)

// row is somebody to be filtered.
type row map[string][]any

func (r row) Values(name string) []any { return r[name] }

func randomRow(rng *rand.Rand) row {
	r := row{}
	give := func(name string, some ...any) {
		if rng.IntN(4) > 0 {
			r[name] = []any{some[rng.IntN(len(some))]}
		}
	}
	give("display_name", "Zoë", `quo"ted`, "and or not", "x")
	give("title", "Pilot", "pilot", `a\b`, ")")
	give("end_date", "2026-11-30", "2027-01-01")
	give("level", 1.0, 2.5, -3.0)
	give("on_call", true, false)
	switch rng.IntN(3) {
	case 0:
		r["unit"], r["within"] = []any{"marine/pilotage"}, []any{"marine", "marine/pilotage"}
	case 1:
		r["unit"], r["within"] = []any{"marine"}, []any{"marine"}
	}
	return r
}

// matches says whether a filter finds somebody; one that the service does not
// take fails.
func matches(t *testing.T, text string, r row) bool {
	t.Helper()
	e, err := filter.Parse(text)
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	if wrong := filter.Check(e, text, columnSchema); len(wrong) > 0 {
		t.Fatalf("%s: %v", text, wrong[0])
	}
	return filter.Match(e, columnSchema, r)
}

// What people build is written as a filter that the service takes and that means
// it; and read again it is what they built.
func TestFiltersThatAreBuiltMeanWhatTheySay(t *testing.T) {
	b, rng := twins(t), rand.New(rand.NewPCG(7420, 3))
	operators := each[column, []struct{ Key string }](t, b, columns, "twins.operatorsOf(x)")
	values := map[string][]string{"text": {"Zoë", `quo"ted`, "and or not", "x", "pilot", `a\b`, ")", "marine", "marine/pilotage", " ", "true", "7"}, "date": {"2026-11-30", "2027-01-01"}, "number": {"1", "2.5", "-3"}, "truth": {"true", "false"}}
	one := func() condition {
		i := rng.IntN(len(columns))
		c := condition{Attribute: columns[i].Key, Operator: operators[i][rng.IntN(len(operators[i]))].Key}
		if c.Operator != "pr" && c.Operator != "not" {
			some := values[columns[i].Type]
			c.Value = some[rng.IntN(len(some))]
		}
		return c
	}
	var all []built
	for range 3000 {
		f := built{}
		for range 1 + rng.IntN(4) {
			f.Conditions = append(f.Conditions, one())
		}
		f.Any = len(f.Conditions) > 1 && rng.IntN(2) == 0
		all = append(all, f)
	}
	raw, _ := json.Marshal(columns)
	texts := each[built, string](t, b, all, fmt.Sprintf("twins.write(x, %s)", raw))
	again := each[string, *built](t, b, texts, "twins.read(x)")
	found := 0
	for i, f := range all {
		if again[i] == nil || !reflect.DeepEqual(*again[i], f) {
			t.Fatalf("%+v is written %s and read as %+v", f, texts[i], again[i])
		}
		var parts []built
		for _, c := range f.Conditions {
			parts = append(parts, built{Conditions: []condition{c}})
		}
		if i >= 300 { // each condition by itself, for some
			_ = matches(t, texts[i], randomRow(rng))
			continue
		}
		alone := each[built, string](t, b, parts, fmt.Sprintf("twins.write(x, %s)", raw))
		for range 20 {
			r := randomRow(rng)
			want := !f.Any
			for _, text := range alone {
				if is := matches(t, text, r); f.Any {
					want = want || is
				} else {
					want = want && is
				}
			}
			if got := matches(t, texts[i], r); got != want {
				t.Fatalf("%s finds %v: %v, condition by condition %v", texts[i], r, got, want)
			} else if got {
				found++
			}
		}
	}
	if found < 500 {
		t.Errorf("%d found", found)
	}
}

// A filter that somebody wrote is either left as it is written, or shown as
// conditions that mean the same.
func TestFiltersThatAreWrittenAreReadAsTheyAreMeant(t *testing.T) {
	b, rng := twins(t), rand.New(rand.NewPCG(7420, 4))
	terms := []string{`title eq "pilot"`, `TITLE Eq "Pilot"`, `display_name co "o"`, `display_name ne "quo\"ted"`, `title sw "a\\"`, `level gt 1`, `level le -3`, `on_call eq true`, `end_date lt "2027-01-01"`,
		`within eq "marine"`, `unit pr`, `not (unit pr)`, `NOT(title PR)`, `not (level gt 1)`, `within ne "marine"`, `level ge 2.50`, `on_call pr`}
	var write func(deep int) string
	write = func(deep int) string {
		if deep == 0 || rng.IntN(3) == 0 {
			return terms[rng.IntN(len(terms))]
		}
		joins := []string{" and ", " or ", " AND ", "  or "}
		text := write(deep-1) + joins[rng.IntN(len(joins))] + write(deep-1)
		if rng.IntN(3) == 0 {
			text = "(" + text + ")"
		}
		return text
	}
	var all []string
	for range 3000 {
		all = append(all, write(rng.IntN(4)))
	}
	raw, _ := json.Marshal(columns)
	again := each[string, *string](t, b, all, fmt.Sprintf("(r => r && twins.write(r, %s))(twins.read(x))", raw))
	read := 0
	for i, text := range all {
		if again[i] == nil {
			continue
		}
		read++
		for range 20 {
			r := randomRow(rng)
			if was, is := matches(t, text, r), matches(t, *again[i], r); was != is {
				t.Fatalf("%s is shown as %s, which finds %v: %v, not %v", text, *again[i], r, is, was)
			}
		}
	}
	if read < 300 || read > 2900 {
		t.Errorf("%d of %d read", read, len(all))
	}
}
