package strictjson

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

type inner struct {
	Name  string `json:"name"`
	Count int    `json:"count,omitempty"`
}

type embedded struct {
	Deep *bool `json:"deep,omitempty"`
}

// even is an even number, as a text.
type even string

func (e *even) UnmarshalText(b []byte) error {
	if len(b)%2 == 1 {
		return fmt.Errorf("%q is odd", b)
	}
	*e = even(b)
	return nil
}

func (even) InWords() string { return "a text of an even length" }

// pair reads itself as pairText.
type pair struct{ a, b string }

type pairText struct {
	A string `json:"a"`
	B string `json:"b"`
}

func (*pair) WrittenAs() reflect.Type { return reflect.TypeFor[pairText]() }

func (p *pair) UnmarshalJSON(raw []byte) error {
	var x pairText
	if err := json.Unmarshal(raw, &x); err != nil {
		return err
	}
	if x.A == x.B {
		return errors.New("are twins")
	}
	*p = pair{x.A, x.B}
	return nil
}

type outer struct {
	embedded
	Text   string             `json:"text"`
	On     bool               `json:"on"`
	Many   []inner            `json:"many"`
	By     map[string]inner   `json:"by"`
	Even   *even              `json:"even"`
	Pair   *pair              `json:"pair"`
	At     time.Time          `json:"at"`
	Raw    json.RawMessage    `json:"raw"`
	Lists  map[string][]int64 `json:"lists"`
	Hidden string             `json:"-"`
}

func TestEveryFaultIsToldAtItsPlace(t *testing.T) {
	for raw, want := range map[string]string{
		`{}`: ``,
		`{"text":"x","on":true,"many":[{"name":"a"}],"by":{"k":{"count":3}},"even":"ab","pair":{"a":"1","b":"2"},"at":"2026-11-26T10:00:00Z","deep":false,"raw":{"any":[1]}}`: ``,
		`{"text":null,"many":null,"even":null,"pair":null,"deep":null}`: ``,
		`[]`:                                   ` must be an object`,
		`7`:                                    ` must be an object`,
		`{"text":7,"on":"x"}`:                  `on must be true or false; text must be a text`,
		`{"Text":"x"}`:                         `Text is not a field here: did you mean text?`,
		`{"Hidden":"x","-":"x"}`:               `- is not a field here; Hidden is not a field here`,
		`{"many":{}}`:                          `many must be a list`,
		`{"many":[{"name":7},{"colour":"x"}]}`: `many/0/name must be a text; many/1/colour is not a field here`,
		`{"by":{"k":7,"l":{"count":"x"}}}`:     `by/k must be an object; by/l/count must be a whole number`,
		`{"by":{"l":{"count":1.5}}}`:           `by/l/count must be a whole number`,
		`{"even":"abc"}`:                       `even "abc" is odd`,
		`{"even":7}`:                           `even must be a text of an even length`,
		`{"pair":{"a":"1","b":"1"}}`:           `pair are twins`,
		`{"pair":{"a":1,"c":"1"}}`:             `pair/a must be a text; pair/c is not a field here`,
		`{"pair":"x"}`:                         `pair must be an object`,
		`{"deep":"x"}`:                         `deep must be true or false`,
		`{"at":"yesterday"}`:                   `at must be a time such as 2027-01-31T18:00:00Z`,
		`{"at":5}`:                             `at must be a time such as 2027-01-31T18:00:00Z`,
		`{"lists":{"a":[1,"x",2.5]}}`:          `lists/a/1 must be a whole number; lists/a/2 must be a whole number`,
		`{"text":"x"} {}`:                      ` is no JSON`,
		`{"text":`:                             ` is no JSON`,
		`{"` + strings.Repeat("é", 200) + `":1}`: strings.Repeat("é", 50) + `… is not a field here`,
	} {
		var got []string
		for _, f := range Unmarshal([]byte(raw), &outer{}) {
			got = append(got, f.Place+" "+f.Message)
		}
		if all := strings.Join(got, "; "); all != want {
			t.Errorf("%.80s: %q, want %q", raw, all, want)
		}
	}
}

// What has no fault is read, and read as the standard library reads it; what has
// one is refused by the quick way too.
func TestTheQuickWayRefusesTheSame(t *testing.T) {
	rng := rand.New(rand.NewPCG(7420, 1))
	leaf := func() any {
		return []any{"x", "ab", 7, -1.5, true, nil, []any{}, map[string]any{}, []any{map[string]any{"name": "x"}}, map[string]any{"a": "x", "b": "y"},
			map[string]any{"k": map[string]any{"count": 2}}, map[string]any{"k": []any{1, 2}}, "2026-11-26T10:00:00Z"}[rng.IntN(13)]
	}
	names := []string{"text", "on", "many", "by", "even", "pair", "at", "raw", "lists", "deep", "colour", "TEXT"}
	good, bad := 0, 0
	for range 50_000 {
		object := map[string]any{}
		for range rng.IntN(4) {
			object[names[rng.IntN(len(names))]] = leaf()
		}
		raw, _ := json.Marshal(object)
		var a, b outer
		faults := Unmarshal(raw, &a)
		err := Quickly(raw, &b)
		// The standard library compares names without case; we do not.
		if _, odd := object["TEXT"]; odd {
			if len(faults) == 0 {
				t.Fatalf("%s is taken", raw)
			}
			continue
		}
		if (len(faults) == 0) != (err == nil) {
			t.Fatalf("%s: %v, the quick way %v", raw, faults, err)
		}
		if err == nil {
			good++
			if !reflect.DeepEqual(a, b) {
				t.Fatalf("%s: %+v and %+v", raw, a, b)
			}
		} else {
			bad++
		}
	}
	if good < 5000 || bad < 5000 {
		t.Errorf("%d good, %d bad", good, bad)
	}
}

func TestNullCharactersAreFound(t *testing.T) {
	for raw, want := range map[string][]string{
		`{"a":"x"}`:      nil,
		`{"a":"\u0000"}`: {"a"},
		`{"a":["x","y\u0000"],"b":{"c":"\u0000\u0000"}}`: {"a/1", "b/c"},
		`{"a":"\\u0000"}`: nil, // a backslash, and letters
		`"\u0000"`:        {""},
		`{"\u0000":1}`:    {""},
		`{"a":"\u0000"`:   nil, // no JSON: refused for that
	} {
		if got := Nulls([]byte(raw)); !slices.Equal(got, want) {
			t.Errorf("%s: %q, want %q", raw, got, want)
		}
	}
}

func TestWhatIsSaidBackIsShort(t *testing.T) {
	for _, letter := range []string{"x", "é", "漢", "🚢"} {
		for n := range 150 {
			text := strings.Repeat(letter, n)
			got := Short(text)
			if len(got) > 104 || !utf8.ValidString(got) || len(text) <= 100 && got != text || !strings.HasPrefix(text, strings.TrimSuffix(got, "…")) {
				t.Fatalf("%d × %s: %q", n, letter, got)
			}
		}
	}
	args := []any{7, strings.Repeat("x", 200), even(strings.Repeat("y", 200)), nil, bytes.Repeat([]byte("z"), 200)}
	out := Shorts(args)
	if out[0] != 7 || len(out[1].(string)) > 104 || len(out[2].(string)) > 104 || len(args[1].(string)) != 200 {
		t.Errorf("%v", out)
	}
}

func TestMembersGivenTwiceAreFound(t *testing.T) {
	for text, want := range map[string]string{
		`{}`: "", `[]`: "", `1`: "", `{"a":1,"b":2}`: "", `{"a":1,"a":2}`: "a", `{"a":1,"a":2,"a":3}`: "a",
		`{"a":{"b":1,"b":2}}`: "a/b", `{"a":[{"b":1},{"b":2}]}`: "", `{"a":[{"b":1,"b":{}},{"b":2}]}`: "a/0/b",
		`{"a":1,"A":2}`: "", `{"a":"a","b":"a"}`: "", `{"a":{"c":1},"a":{"c":1}}`: "a", `{"a":1,"a"`: "a", `nonsense`: "",
	} {
		if got := strings.Join(Twice([]byte(text)), " "); got != want {
			t.Errorf("%s: %q, want %q", text, got, want)
		}
	}
}
