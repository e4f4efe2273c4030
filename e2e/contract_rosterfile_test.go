package e2e

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"go.yaml.in/yaml/v3"
)

// placed is one place in a document, and how to put something else there.
type placed struct {
	at  string
	was any
	put func(any)
}

// places are all places of a document, depth first: of a list only the first and
// the last item, and of many things called alike only a few.
func places(x any, at string, put func(any)) []placed {
	out := []placed{{at, x, put}}
	switch x := x.(type) {
	case map[string]any:
		names := slices.Sorted(maps.Keys(x))
		if len(names) > 12 {
			names = append(names[:3:3], names[len(names)-3:]...)
		}
		for _, name := range names {
			out = append(out, places(x[name], at+"/"+name, func(v any) { x[name] = v })...)
		}
	case []any:
		for i := range x {
			if i == 0 || i == len(x)-1 {
				out = append(out, places(x[i], fmt.Sprintf("%s/%d", at, i), func(v any) { x[i] = v })...)
			}
		}
	}
	return out
}

// Whatever stands in the place of anything in a roster file, the file is taken whole
// or refused whole, with every fault at a line of it and in words; it breaks
// nothing, and what has another type, control characters or no bounds is refused.
func TestNoPlaceOfARosterFileTakesWhatItCannotMean(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	file, err := os.ReadFile(filepath.Join(testkit.Root(), "docs/examples/mooring-log.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := marta.LoadRosterFile(ctx, file, client.Query{"reason": "The mooring log"}); err != nil {
		t.Fatal(err)
	}
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var document map[string]any
	if err := yaml.Unmarshal(file, &document); err != nil {
		t.Fatal(err)
	}
	load := func() (wire.ChangeResult, *wire.Problem) {
		t.Helper()
		raw, err := yaml.Marshal(document)
		if err != nil {
			t.Fatal(err)
		}
		out, err := marta.LoadRosterFile(ctx, raw, client.Query{"dry_run": "true", "reason": "Tried", "file": "odd.yaml"})
		var p *wire.Problem
		if err != nil && !errors.As(err, &p) {
			t.Fatal(err)
		}
		return out, p
	}
	if r, p := load(); p != nil || !r.Unchanged {
		t.Fatalf("as it is: %+v %+v", r.Sentences, p)
	}
	all := places(document, "", nil)
	tried, refused := 0, 0
	for _, x := range all {
		if x.put == nil {
			continue
		}
		bad := []any{7.5, "x\x07y", "x\u202ey", strings.Repeat("x", 20_000), []any{"x", 7}, map[string]any{"colour": "blue"}, nil, ""}
		for _, b := range bad {
			if fmt.Sprintf("%T", b) == fmt.Sprintf("%T", x.was) && b != "" {
				if _, text := b.(string); !text {
					continue
				}
			}
			x.put(b)
			tried++
			_, p := load()
			what := fmt.Sprintf("%s as %.30q", x.at, fmt.Sprint(b))
			text, isText := b.(string)
			switch {
			case p == nil:
				if b != nil && b != "" && (!isText || len(text) < 10 || len(text) > 10_000) {
					t.Errorf("%s is taken", what)
				}
			case p.Status != 422 && p.Status != 409 && p.Status != 403:
				t.Errorf("%s: %d %s", what, p.Status, p.Detail)
			default:
				refused++
				for _, f := range p.Faults {
					if !strings.HasPrefix(f.Place, "odd.yaml line ") || len(f.Message) > 600 || strings.Contains(f.Message, "yaml:") || strings.Contains(f.Message, "rosterfile.") || strings.Contains(f.Message, "access.") || strings.Contains(f.Message, "fact.") || strings.Contains(f.Message, "change.") {
						t.Errorf("%s: at %s: %.300s", what, f.Place, f.Message)
					}
				}
			}
		}
		x.put(x.was)
	}
	if r, p := load(); p != nil || !r.Unchanged {
		t.Errorf("as it was again: %v %+v", r.Sentences, p)
	}
	if after, err := marta.Me(ctx); err != nil || after.Revision != head.Revision {
		t.Errorf("from revision %d to %d (%v)", head.Revision, after.Revision, err)
	}
	if tried < 1000 || refused < 700 {
		t.Errorf("%d tried, %d refused, of %d places", tried, refused, len(all))
	}
}
