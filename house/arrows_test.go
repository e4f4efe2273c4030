package house

import (
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// floors are the rooms of the house and how high they lie: arrows point down
// only. docs/architecture.md has the drawing.
var floors = map[string]int{
	"cmd/rosterd":                24,
	"internal/api":               23,
	"internal/api/account":       22,
	"internal/api/standards":     22,
	"internal/api/serve":         21,
	"console":                    21,
	"internal/transfer":          20,
	"internal/changing":          19,
	"internal/questions":         18,
	"internal/authzen":           19,
	"internal/scim":              20,
	"internal/workflows":         18,
	"internal/report":            17,
	"internal/lists":             17,
	"internal/mailing":           19,
	"internal/metrics":           17,
	"internal/seeing":            16,
	"internal/signin":            16,
	"internal/ledger":            15,
	"internal/ledger/past":       14,
	"internal/ledger/verify":     13,
	"internal/ledger/stream":     14,
	"internal/ledger/database":   13,
	"internal/ledger/revisions":  12,
	"internal/ledger/factrows":   11,
	"internal/ledger/migrations": 1,
	"internal/usage":             15,
	"internal/jobs":              15,
	"internal/saved":             15,
	"internal/rosterfile":        15,
	"internal/request":           10,
	"internal/review":            10,
	"internal/finding":           10,
	"internal/operation":         9,
	"internal/operation/people":  8,
	"internal/operation/rules":   8,
	"internal/operation/roles":   7,
	"internal/operation/settle":  6,
	"internal/effect":            6,
	"internal/prepared":          6,
	"internal/undo":              10,
	"internal/change":            5,
	"internal/query":             4,
	"internal/alike":             4,
	"internal/held":              3,
	"internal/record":            3,
	"internal/access":            2,
	"internal/fact":              1,
	"internal/importfile":        1,
	"internal/filter":            0,
	"internal/patterns":          0,
	"internal/calendar":          0,
	"internal/paged":             0,
	"internal/gctune":            0,
	"internal/tracing":           0,
	"internal/strictjson":        -1,
	"internal/format1":           0,
	"internal/csvcell":           -2,
	"internal/near":              -2,
	"internal/mail":              -2,
	"internal/sealed":            -2,
	"internal/openid":            -2,
	"internal/caught":            0,
	"internal/budget":            0,
	"internal/pace":              0,
}

// core are the rooms that do no I/O and have no clock.
var core = []string{"internal/fact", "internal/access", "internal/record", "internal/held", "internal/query", "internal/change", "internal/operation", "internal/operation/people", "internal/operation/roles", "internal/operation/rules", "internal/operation/settle", "internal/effect", "internal/patterns", "internal/calendar", "internal/filter",
	"internal/paged", "internal/prepared", "internal/undo", "internal/request", "internal/review", "internal/finding"}

// beside are rooms beside the house, and what of it they may use.
var beside = map[string][]string{
	"signedhead": {},
	"wire":       {"signedhead"},
	"client":     {"wire", "internal/patterns"},
	"cmd/roster": {"cmd/roster"},

	"cmd/roster/command":   {"client", "wire", "internal/calendar", "internal/near", "internal/csvcell"},
	"cmd/roster/people":    {"cmd/roster/command", "client", "wire", "internal/calendar"},
	"cmd/roster/questions": {"cmd/roster/command", "client", "wire", "internal/calendar"},
	"cmd/roster/roles":     {"cmd/roster/command", "client", "wire", "internal/calendar", "internal/csvcell"},
	"cmd/roster/ledger":    {"cmd/roster/command", "client", "wire"},

	"demo":               {"internal/operation", "internal/change", "internal/access", "internal/fact", "internal/calendar", "internal/finding", "internal/request", "internal/review"},
	"standin/berthboard": {},
	"standin/mailbox":    {},
	"standin/personnel":  {"client", "wire"},
	"standin/harbourid":  {},
	"testkit":            {"client", "demo", "wire", "internal/jobs", "internal/ledger", "internal/ledger/migrations"},
	"testkit/caller":     {"testkit", "internal/ledger", "internal/seeing"},
	"e2e":                {},
	"house":              {},
	"internal/laws":      {"internal/operation", "internal/effect", "internal/change", "internal/query", "internal/held", "internal/access", "internal/fact", "internal/patterns", "internal/calendar", "internal/filter"},
	"bench":              {"internal/gctune", "internal/finding", "internal/review", "internal/operation", "internal/effect", "internal/change", "internal/query", "internal/record", "internal/access", "internal/fact", "internal/calendar", "internal/ledger", "internal/ledger/migrations", "demo", "client", "wire", "testkit", "internal/api", "internal/saved", "internal/seeing", "internal/changing", "internal/questions", "internal/lists", "internal/workflows", "internal/transfer", "internal/signin", "internal/mailing", "internal/jobs"},
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
	cmd.Dir = root()
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
					if slices.Contains(outsideTheCore, i) || strings.Contains(i, ".") && !strings.HasPrefix(i, "golang.org/x/text/") && i != "golang.org/x/net/idna" {
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
			case inside && floor >= 15 && to == "wire":
			case inside && to == "signedhead":
			case from == "cmd/rosterd" && to == "demo":
			case slices.ContainsFunc(allowed, func(a string) bool { return to == a || strings.HasPrefix(to, a+"/") }):
			default:
				t.Errorf("%s imports %s", from, to)
			}
		}
	}
}

func TestTheCoreHasNoClock(t *testing.T) {
	for _, dir := range core {
		files, err := filepath.Glob(filepath.Join(root(), dir, "*.go"))
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
