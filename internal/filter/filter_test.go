package filter

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"
)

var schema = Schema{
	{Name: "user_name", Type: String},
	{Name: "id", Type: String, CaseExact: true},
	{Name: "title", Type: String},
	{Name: "level", Type: Number},
	{Name: "on_call", Type: Boolean},
	{Name: "end_date", Type: Day},
	{Name: "seen", Type: Time},
	{Name: "within", Type: String, CaseExact: true},
	{Name: "groups", Type: Complex, Sub: Schema{{Name: "key", Type: String, CaseExact: true}, {Name: "level", Type: Number}}},
}

// thing is a source for tests.
type thing map[string][]any

func (t thing) Values(name string) []any { return t[name] }

// telling is a thing that tells texts one by one.
type telling struct{ thing }

func (t telling) Text(name string) (string, bool) {
	if name != "title" && name != "id" {
		return "", false
	}
	if len(t.thing[name]) == 0 {
		return "", true
	}
	return t.thing[name][0].(string), true
}

func (t telling) Has(name, value string) (bool, bool) {
	return slices.Contains(t.thing[name], any(value)), name == "within"
}

var pilot = thing{
	"user_name": {"ines.halloran"}, "id": {"user-42"}, "title": {"Harbour Pilot"}, "level": {3.0}, "on_call": {true}, "end_date": {"2026-12-31"},
	"seen": {time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)}, "within": {"marine", "marine/pilotage"},
	"groups": {thing{"key": {"pilots"}, "level": {1.0}}, thing{"key": {"night-pilots"}, "level": {2.0}}},
}

func TestFilters(t *testing.T) {
	for text, want := range map[string]bool{
		`user_name eq "ines.halloran"`:                            true,
		`USER_NAME EQ "Ines.Halloran"`:                            true, // names, words and most texts without case
		`id eq "USER-42"`:                                         false,
		`id eq "user-42"`:                                         true,
		`urn:ietf:params:scim:schemas:core:2.0:User:title pr`:     true,
		`title co "pilot" and title sw "harb" and title ew "LOT"`: true,
		`title eq "Harbour Pilot" and level gt 2`:                 true,
		`level ge 3 and level le 3.0 and not (level lt 3)`:        true,
		`level gt 2.5e0`:                                          true,
		`on_call eq true`:                                         true,
		`on_call ne true`:                                         false,
		`end_date lt "2027-01-01"`:                                true,
		`end_date gt "2026-12-31"`:                                false,
		`end_date sw "2026"`:                                      true,
		`seen gt "2026-11-25T08:30:00+01:00"`:                     true,
		`seen le "2026-11-25T08:00:00Z"`:                          true,
		`within eq "marine"`:                                      true, // any value of several
		`within eq "finance"`:                                     false,
		`location pr`:                                             false,
		`not (location pr)`:                                       true,
		`title eq null`:                                           false,
		`title ne null`:                                           true,
		`groups.key eq "night-pilots"`:                            true,
		`groups.key eq "night-pilots" and groups.level eq 1`:      true,  // of different values
		`groups[key eq "night-pilots" and level eq 1]`:            false, // of one and the same
		`groups[key sw "night" and not (level lt 2)]`:             true,
		`groups pr`:                                               true,
		// and binds closer than or, not closest.
		`title pr or title pr and level lt 0`:              true,
		`(title pr or title pr) and level lt 0`:            false,
		`not (title pr) or level eq 3`:                     true,
		`not (title pr or level eq 3)`:                     false,
		`   title   pr   and   (  level eq 3  )   `:        true,
		`title eq "Harbour \u0050ilot"`:                    true,
		`title eq "a \"quoted\" \\ text"`:                  false,
		`title gt "Harbour" and title lt "harbour pilots"`: true,
	} {
		e, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := Match(e, schema, pilot); got != want {
			t.Errorf("%s: %v", text, got)
		}
		again, err := Parse(e.String())
		if err != nil || again.String() != e.String() {
			t.Errorf("%s is written %s (%v)", text, e, err)
		}
	}
}

func TestFiltersThatDoNotParse(t *testing.T) {
	for _, x := range []struct {
		text   string
		column int
		says   string
	}{
		{"", 1, "is blank"},
		{"   ", 4, "is blank"},
		{"title", 6, "an operator (eq, ne, co"},
		{"title ", 7, "an operator"},
		{"title is", 7, "an operator"},
		{`title eq`, 9, "a space and a value"},
		{`title eq `, 10, "a value was expected"},
		{`title eq Pilot`, 10, "a value was expected"},
		{`title eq 'Pilot'`, 10, "a value was expected"},
		{`title eq "Pilot`, 10, "no closing double quote"},
		{`title eq "a\x"`, 10, "an escape that JSON does not know"},
		{`title eq [1]`, 10, "a value was expected"},
		{`title pr and`, 13, "ends where an attribute"},
		{`title pr title pr`, 10, `"and", "or" or the end`},
		{`title pr)`, 9, `"and", "or" or the end`},
		{`(title pr`, 10, `')' was expected, to close the '(' at column 1`},
		{`groups[key pr`, 14, `']' was expected, to close the '[' at column 7`},
		{`7up eq "x"`, 1, "begin with a letter"},
		{`a.b.c pr`, 1, "at most one sub-attribute"},
		{`ä eq "x"`, 1, "an attribute was expected"},
		{`title eq "Ümläut" nd x pr`, 19, `"and", "or" or the end`}, // columns are characters
		{`not title pr`, 5, "an operator"},
		{strings.Repeat("(", 1000) + "title pr" + strings.Repeat(")", 1000), 65, "nested deeper than 64"},
		{strings.Repeat("not (", 1000), 321, "nested deeper than 64"},
		{"title eq \"\xff\"", 1, "not valid UTF-8"},
		{strings.Repeat("x", 9000), 1, "longer than 8192 bytes"},
	} {
		_, err := Parse(x.text)
		e, ok := err.(*Error)
		if !ok || e.Column != x.column || !strings.Contains(e.Message, x.says) {
			t.Errorf("%.40q: %v; want column %d: …%s…", x.text, err, x.column, x.says)
		}
	}
}

func TestFiltersThatDoNotFitTheSchema(t *testing.T) {
	for text, want := range map[string]string{
		`height gt 3`:                              "column 1: there is no attribute “height” here; there are user_name",
		`title pr and groups.colour eq "x"`:        "column 14: there is no attribute “groups.colour”",
		`groups[colour eq "x"]`:                    "column 8: there is no attribute “colour” here; there are key, level",
		`title[key eq "x"]`:                        "column 1: “title” has no sub-attributes",
		`groups eq "pilots"`:                       "column 1: “groups” has no value of its own; name a sub-attribute, as in groups.key",
		`level eq "three"`:                         "column 10: “level” is compared with a number",
		`level co 3`:                               "column 1: co does not go with a number",
		`on_call gt true`:                          "column 1: gt does not go with true or false",
		`on_call eq "yes"`:                         "column 12: “on_call” is compared with true or false",
		`end_date lt "soon"`:                       "column 13: “end_date” is compared with a date",
		`seen lt "2026-11-25"`:                     "column 9: “seen” is compared with a time",
		`title gt null`:                            "column 10: null goes only with eq and ne",
		`title eq 7`:                               "column 10: “title” is compared with text",
		`height pr and weight pr and title eq "x"`: "column 15: there is no attribute “weight”", // every fault
	} {
		e, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		said := ""
		for _, f := range Check(e, text, schema) {
			said += f.Error() + "\n"
		}
		if !strings.Contains(said, want) {
			t.Errorf("%s: %s; want %s", text, said, want)
		}
	}
	e, _ := Parse(`TITLE pr and Groups[KEY eq "x" and Level gt 1] or Groups.Key pr`)
	if got := fmt.Sprint(Attributes(e)); got != "[title groups.key groups.level]" {
		t.Errorf("it names %s", got)
	}
	if faults := Check(e, e.String(), schema); len(faults) > 0 {
		t.Error(faults[0])
	}
}

// made is an expression as text and, made with it and apart from it, what it
// means.
type made struct {
	text  string
	means func(thing) bool
}

type chance struct{ *rand.Rand }

// expression makes one; binds says how closely: 0 or, 1 and, 2 the rest.
func (c chance) expression(deep, binds int) made {
	switch k := c.IntN(10); {
	case deep > 0 && k < 3:
		a, b := c.expression(deep-1, 0), c.expression(deep-1, 1)
		m := made{a.text + " or " + b.text, func(t thing) bool { return a.means(t) || b.means(t) }}
		if binds > 0 {
			m.text = "(" + m.text + ")"
		}
		return m
	case deep > 0 && k < 6:
		a, b := c.expression(deep-1, 1), c.expression(deep-1, 2)
		m := made{a.text + " AND " + b.text, func(t thing) bool { return a.means(t) && b.means(t) }}
		if binds > 1 {
			m.text = "( " + m.text + " )"
		}
		return m
	case deep > 0 && k < 7:
		a := c.expression(deep-1, 0)
		return made{"not (" + a.text + ")", func(t thing) bool { return !a.means(t) }}
	}
	return c.leaf()
}

func (c chance) leaf() made {
	name := []string{"title", "level", "within", "id"}[c.IntN(4)]
	if c.IntN(6) == 0 {
		return made{name + " pr", func(t thing) bool { return len(t[name]) > 0 }}
	}
	if name == "level" {
		n := float64(c.IntN(4))
		op := []string{"eq", "ne", "gt", "ge", "lt", "le"}[c.IntN(6)]
		return made{fmt.Sprintf("level %s %v", op, n), func(t thing) bool {
			if len(t[name]) == 0 {
				return op == "ne"
			}
			v := t[name][0].(float64)
			return map[string]bool{"eq": v == n, "ne": v != n, "gt": v > n, "ge": v >= n, "lt": v < n, "le": v <= n}[op]
		}}
	}
	want := []string{"pilot", "Pilot", "clerk", "p", "", "marine"}[c.IntN(6)]
	op := []string{"eq", "ne", "co", "sw", "ew", "gt", "le"}[c.IntN(7)]
	raw, _ := json.Marshal(want)
	return made{fmt.Sprintf("%s %s %s", name, op, raw), func(t thing) bool {
		if len(t[name]) == 0 {
			return op == "ne"
		}
		any := false
		for _, x := range t[name] {
			v, w := x.(string), want
			if name == "title" {
				v, w = strings.ToUpper(v), strings.ToUpper(w)
			}
			any = any || map[string]bool{"eq": v == w, "ne": v != w, "co": strings.Contains(v, w), "sw": strings.HasPrefix(v, w),
				"ew": strings.HasSuffix(v, w), "gt": v > w, "le": v <= w}[op]
		}
		return any
	}}
}

// Random filters mean what they were made to mean.
func TestRandomFiltersMeanWhatTheyWereMadeToMean(t *testing.T) {
	c := chance{rand.New(rand.NewPCG(31, 32))}
	things := []thing{{}}
	for range 40 {
		x := thing{}
		if c.IntN(3) > 0 {
			x["title"] = []any{[]string{"pilot", "PILOT", "clerk", "p"}[c.IntN(4)]}
		}
		if c.IntN(3) > 0 {
			x["level"] = []any{float64(c.IntN(4))}
		}
		if c.IntN(3) > 0 {
			x["id"] = []any{[]string{"pilot", "Pilot", "marine"}[c.IntN(3)]}
		}
		for range c.IntN(3) {
			x["within"] = append(x["within"], []string{"marine", "pilot", "clerk"}[c.IntN(3)])
		}
		things = append(things, x)
	}
	held := 0
	for range 20_000 {
		m := c.expression(4, 0)
		e, err := Parse(m.text)
		if err != nil {
			t.Fatalf("%s: %v", m.text, err)
		}
		if faults := Check(e, m.text, schema); len(faults) > 0 {
			t.Fatalf("%s: %v", m.text, faults[0])
		}
		x := things[c.IntN(len(things))]
		want := m.means(x)
		if got := Match(e, schema, x); got != want {
			t.Fatalf("%s of %v: %v", m.text, x, got)
		}
		if again, err := Parse(e.String()); err != nil || Match(again, schema, x) != want {
			t.Fatalf("%s, written as %s, means something else (%v)", m.text, e, err)
		}
		if compiled := Compile(e, schema); compiled(x) != want || compiled(telling{x}) != want {
			t.Fatalf("%s of %v, compiled: %v, then %v", m.text, x, compiled(x), compiled(telling{x}))
		}
		if want {
			held++
		}
	}
	if held < 5_000 || held > 15_000 {
		t.Errorf("%d of 20,000 held: the rest is too easy", held)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{`title eq "x"`, `not (a pr) or b[c ge 1.5 and d eq null]`, `((`, `a.b eq "\u00e9"`, `x eq tru`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		e, err := Parse(text)
		if (e == nil) == (err == nil) {
			t.Fatalf("%q: %v %v", text, e, err)
		}
		if err == nil {
			Check(e, text, schema)
			if Match(e, schema, pilot) != Compile(e, schema)(pilot) {
				t.Fatalf("%q means something else compiled", text)
			}
			if len(e.String()) > mostBytes { // escapes may lengthen it
				return
			}
			again, err := Parse(e.String())
			if err != nil || again.String() != e.String() {
				t.Fatalf("%q is written %q, which is read as %v (%v)", text, e, again, err)
			}
		}
	})
}
