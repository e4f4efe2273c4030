package e2e

import (
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ableroster/testkit"
)

// floors are the rooms of the house and how high they lie: arrows point down
// only. docs/architecture.md has the drawing.
var floors = map[string]int{
	"cmd/rosterd":         14,
	"internal/api":        13,
	"console":             13,
	"internal/transfer":   12,
	"internal/changing":   11,
	"internal/questions":  10,
	"internal/authzen":    11,
	"internal/scim":       12,
	"internal/workflows":  10,
	"internal/report":     9,
	"internal/lists":      9,
	"internal/mailing":    11,
	"internal/metrics":    9,
	"internal/seeing":     8,
	"internal/signin":     8,
	"internal/ledger":     7,
	"internal/usage":      7,
	"internal/jobs":       7,
	"internal/saved":      7,
	"internal/rosterfile": 7,
	"internal/request":    6,
	"internal/review":     6,
	"internal/finding":    6,
	"internal/operation":  5,
	"internal/effect":     5,
	"internal/prepared":   5,
	"internal/undo":       6,
	"internal/change":     4,
	"internal/query":      3,
	"internal/alike":      3,
	"internal/access":     2,
	"internal/fact":       1,
	"internal/importfile": 1,
	"internal/filter":     0,
	"internal/patterns":   0,
	"internal/calendar":   0,
	"internal/paged":      0,
	"internal/gctune":     0,
	"internal/tracing":    0,
	"internal/strictjson": -1,
	"internal/format1":    0,
	"internal/csvcell":    -2,
	"internal/near":       -2,
	"internal/mail":       -2,
	"internal/sealed":     -2,
	"internal/openid":     -2,
	"internal/caught":     0,
	"internal/budget":     0,
	"internal/pace":       0,
}

// core are the rooms that do no I/O and have no clock.
var core = []string{"internal/fact", "internal/access", "internal/query", "internal/change", "internal/operation", "internal/effect", "internal/patterns", "internal/calendar", "internal/filter",
	"internal/paged", "internal/prepared", "internal/undo", "internal/request", "internal/review", "internal/finding"}

// beside are rooms beside the house, and what of it they may use.
var beside = map[string][]string{
	"signedhead":         {},
	"wire":               {"signedhead"},
	"client":             {"wire", "internal/patterns"},
	"cmd/roster":         {"client", "wire", "internal/calendar", "internal/near", "internal/csvcell"},
	"demo":               {"internal/operation", "internal/change", "internal/access", "internal/fact", "internal/calendar", "internal/finding", "internal/request", "internal/review"},
	"standin/berthboard": {},
	"standin/mailbox":    {},
	"standin/personnel":  {"client", "wire"},
	"standin/harbourid":  {},
	"testkit":            {"client", "demo", "wire", "internal/jobs", "internal/ledger"},
	"testkit/caller":     {"testkit", "internal/ledger", "internal/seeing"},
	"e2e":                {},
	"internal/laws":      {"internal/operation", "internal/effect", "internal/change", "internal/query", "internal/access", "internal/fact", "internal/patterns", "internal/calendar", "internal/filter"},
	"bench":              {"internal/gctune", "internal/finding", "internal/review", "internal/operation", "internal/effect", "internal/change", "internal/query", "internal/access", "internal/fact", "internal/calendar", "internal/ledger", "demo", "client", "wire", "testkit", "internal/api", "internal/saved", "internal/seeing", "internal/changing", "internal/questions", "internal/lists", "internal/workflows", "internal/transfer", "internal/signin"},
}

// outsideTheCore are packages of the standard library with which a core would
// reach outside.
var outsideTheCore = []string{"net", "net/http", "os", "os/exec", "io/fs", "database/sql", "log", "log/slog", "syscall", "context"}

type room struct {
	ImportPath string
	Imports    []string
	GoFiles    []string
}

func rooms(t *testing.T) []room {
	t.Helper()
	cmd := exec.Command("go", "list", "-json=ImportPath,Imports,GoFiles", "./...")
	cmd.Dir = testkit.Root()
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var all []room
	for d := json.NewDecoder(strings.NewReader(string(out))); ; {
		var r room
		if err := d.Decode(&r); err == io.EOF {
			return all
		} else if err != nil {
			t.Fatal(err)
		}
		all = append(all, r)
	}
}

func TestArrowsPointDownOnly(t *testing.T) {
	for _, r := range rooms(t) {
		from := strings.TrimPrefix(r.ImportPath, "ableroster/")
		floor, inside := floors[from]
		allowed, known := beside[from]
		if !inside && !known {
			t.Errorf("%s has no place in the house: give it one here and in docs/architecture.md", from)
		}
		for _, i := range r.Imports {
			to, ours := strings.CutPrefix(i, "ableroster/")
			if !ours {
				if slices.Contains(core, from) {
					if slices.Contains(outsideTheCore, i) || strings.Contains(i, ".") && !strings.HasPrefix(i, "golang.org/x/text/") {
						t.Errorf("the core %s imports %s", from, i)
					}
				}
				continue
			}
			if to == "internal/paged" && from != "internal/access" {
				t.Errorf("%s imports %s: what writes the tables of a snapshot is a builder alone", from, to)
			}
			below, isRoom := floors[to]
			switch {
			case inside && isRoom && below < floor:
			case inside && floor >= 8 && to == "wire":
			case inside && to == "signedhead":
			case from == "cmd/rosterd" && to == "demo":
			case slices.Contains(allowed, to):
			default:
				t.Errorf("%s imports %s", from, to)
			}
		}
	}
}

func TestTheCoreHasNoClock(t *testing.T) {
	for _, dir := range core {
		files, err := filepath.Glob(filepath.Join(testkit.Root(), dir, "*.go"))
		if err != nil || len(files) == 0 {
			t.Fatal(dir, err)
		}
		for _, f := range files {
			text, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			for _, word := range []string{"time.Now(", "time.Since(", "time.After("} {
				if strings.Contains(string(text), word) {
					t.Errorf("%s uses %s)", f, word)
				}
			}
		}
	}
}
