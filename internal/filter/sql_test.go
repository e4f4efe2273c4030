package filter_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"ableroster/internal/filter"

	"github.com/jackc/pgx/v5"
)

var things = filter.Schema{
	{Name: "title", Type: filter.String},
	{Name: "id", Type: filter.String, CaseExact: true},
	{Name: "level", Type: filter.Number},
	{Name: "on_call", Type: filter.Boolean},
	{Name: "end", Type: filter.Day},
	{Name: "seen", Type: filter.Time},
	{Name: "within", Type: filter.String, CaseExact: true},
	{Name: "groups", Type: filter.Complex, Sub: filter.Schema{{Name: "key", Type: filter.String}, {Name: "until", Type: filter.Time}}},
}

// thingColumns are those of a thing kept as JSON in column v.
var thingColumns = filter.Columns{
	"title":   {Value: "v->>'title'"},
	"id":      {Value: "v->>'id'"},
	"level":   {Value: "(v->>'level')::float8"},
	"on_call": {Value: "(v->>'on_call')::boolean"},
	"end":     {Value: "v->>'end'"},
	"seen":    {Value: "(v->>'seen')::timestamptz"},
	"within":  {Value: "w.x", From: "jsonb_array_elements_text(v->'within') w(x)"},
	"groups": {From: "jsonb_array_elements(v->'groups') g(x)", Sub: filter.Columns{
		"key": {Value: "g.x->>'key'"}, "until": {Value: "(g.x->>'until')::timestamptz"}}},
}

// thing is a source over the same JSON.
type thing map[string]any

func (x thing) Values(attribute string) []any {
	switch v := x[attribute].(type) {
	case nil:
		return nil
	case []any:
		return v
	case string:
		if attribute == "seen" || attribute == "until" {
			at, _ := time.Parse(time.RFC3339, v)
			return []any{at}
		}
		return []any{v}
	default:
		return []any{v}
	}
}

var words = []string{"pilot", "Pilot", "PILOTE", "clerk", "p", "", "Ävelin", "ävelin", `a"b\c`, "100%_"}
var times = []string{"2026-11-25T08:00:00Z", "2026-11-25T09:00:00+01:00", "2027-01-01T00:00:00Z"}
var days = []string{"2026-12-31", "2027-01-01", "2026-01-09"}

type maker struct{ *rand.Rand }

func (m maker) of(all []string) string { return all[m.IntN(len(all))] }

func (m maker) thing() thing {
	x := thing{"within": []any{}, "groups": []any{}}
	for name, v := range map[string]any{"title": m.of(words), "id": m.of(words), "level": float64(m.IntN(4)), "on_call": m.IntN(2) == 0, "end": m.of(days), "seen": m.of(times)} {
		if m.IntN(3) > 0 && v != "" {
			x[name] = v
		}
	}
	for range m.IntN(3) {
		x["within"] = append(x["within"].([]any), m.of(words))
		g := thing{"key": m.of(words)}
		if m.IntN(2) == 0 {
			g["until"] = m.of(times)
		}
		x["groups"] = append(x["groups"].([]any), g)
	}
	return x
}

func (m maker) filter(deep int, inside bool) string {
	switch k := m.IntN(8); {
	case deep > 0 && k < 2:
		return "(" + m.filter(deep-1, inside) + " or " + m.filter(deep-1, inside) + ")"
	case deep > 0 && k < 4:
		return "(" + m.filter(deep-1, inside) + " and " + m.filter(deep-1, inside) + ")"
	case deep > 0 && k < 5:
		return "not (" + m.filter(deep-1, inside) + ")"
	case deep > 0 && k < 6 && !inside:
		return "groups[" + m.filter(deep-1, true) + "]"
	}
	name := m.of([]string{"title", "id", "level", "on_call", "end", "seen", "within", "groups.key", "groups.until"})
	if inside {
		name = m.of([]string{"key", "until"})
	}
	switch m.IntN(9) {
	case 0:
		return name + " pr"
	case 1:
		return name + m.of([]string{" eq", " ne"}) + " null"
	}
	op := m.of([]string{"eq", "ne", "gt", "ge", "lt", "le"})
	value := any(m.of(words))
	switch name {
	case "level":
		value = m.IntN(4)
	case "on_call":
		op, value = m.of([]string{"eq", "ne"}), m.IntN(2) == 0
	case "end":
		value = m.of(days)
	case "seen", "until", "groups.until":
		value = m.of(times)
	}
	if _, text := value.(string); text && m.IntN(2) == 0 {
		op = m.of([]string{"co", "sw", "ew"})
		if name == "seen" || name == "end" {
			value = m.of([]string{"2026", "Z", "-01", "t08"})
		}
	}
	raw, _ := json.Marshal(value)
	return fmt.Sprintf("%s %s %s", name, op, raw)
}

// Random filters choose the same rows in PostgreSQL as in the core.
func TestAFilterChoosesTheSameInSQL(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, os.Getenv("ROSTER_TEST_DATABASE_URL"))
	if err != nil {
		t.Fatalf("this test needs PostgreSQL: run make test, or give ROSTER_TEST_DATABASE_URL: %v", err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "create temporary table thing (n integer, v jsonb)"); err != nil {
		t.Fatal(err)
	}
	m := maker{rand.New(rand.NewPCG(71, 72))}
	var all []thing
	for n := range 300 {
		all = append(all, m.thing())
		if _, err := conn.Exec(ctx, "insert into thing values ($1, $2)", n, all[n]); err != nil {
			t.Fatal(err)
		}
	}
	chosen := 0
	for range 2_000 {
		text := m.filter(3, false)
		e, err := filter.Parse(text)
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		if faults := filter.Check(e, text, things); len(faults) > 0 {
			t.Fatalf("%s: %v", text, faults[0])
		}
		where, args, ok := filter.SQL(e, things, thingColumns, 1)
		if !ok {
			t.Fatalf("%s is not translated", text)
		}
		var got []int32
		if err := conn.QueryRow(ctx, "select coalesce(array_agg(n order by n), '{}') from thing where "+where, args...).Scan(&got); err != nil {
			t.Fatalf("%s: %s: %v", text, where, err)
		}
		var want []int32
		for n, x := range all {
			if filter.Match(e, things, x) {
				want = append(want, int32(n))
			}
		}
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("%s\n%s\nchooses %v, in the core %v", text, where, got, want)
		}
		if len(want) > 0 && len(want) < len(all) {
			chosen++
		}
	}
	if chosen < 1_000 {
		t.Errorf("only %d of 2,000 filters part the things", chosen)
	}
}

func TestAFilterThatHasNoColumnIsNotTranslated(t *testing.T) {
	columns := filter.Columns{"title": thingColumns["title"], "groups": {From: "g", Sub: filter.Columns{}}}
	for text, want := range map[string]bool{
		`title pr`: true, `title pr and level eq 1`: false, `not (seen pr)`: false, `within eq "x"`: false,
		`groups[key eq "x"]`: false, `groups.key eq "x"`: false, `groups pr`: true,
	} {
		e, err := filter.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		if _, _, ok := filter.SQL(e, things, columns, 1); ok != want {
			t.Errorf("%s: translated %v", text, ok)
		}
	}
	e, _ := filter.Parse(`title eq "'; drop table thing; --"`)
	if where, args, _ := filter.SQL(e, things, columns, 7); strings.Contains(where, "drop") || !strings.Contains(where, "$7") || len(args) != 1 {
		t.Errorf("%s %v", where, args)
	}
}
