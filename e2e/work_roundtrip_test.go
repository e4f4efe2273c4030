package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// setUp names the first administrator of an empty installation, and gives their
// client.
func setUp(t *testing.T, s *testkit.Service) *client.Client {
	t.Helper()
	var link []string
	testkit.Until(t, "the set-up link to be printed", func() bool {
		link = regexp.MustCompile(`/set-up#(\S+)\s`).FindStringSubmatch(s.Output())
		return link != nil
	})
	c := &client.Client{Base: s.Base}
	in := wire.SetUpRequest{Link: link[1], Organisation: "Larkhaven Port Authority", TimeZone: "Europe/Lisbon", UserName: demo.Administrator, DisplayName: "Marta Quill", Password: demo.Password}
	if err := c.Do(ctx, "POST", "/set-up", nil, in, nil); err != nil {
		t.Fatal(err)
	}
	return s.SignIn(t, demo.Administrator)
}

// The port goes out as a roster file and three CSV files and comes into an empty
// installation by the command line; there every question of the whole grid has
// the same answer.
func TestThePortGoesOutAndComesInAgain(t *testing.T) {
	from := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, from, demo.Administrator)
	// What is opened for some hours goes into no file.
	if _, err := from.SignIn(t, demo.Administrator).Change(ctx, changeOf("The night is over", `{"op":"close_access","user":"`+demo.Vendor+`"}`), false); err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	files := map[string]string{}
	save := func(name string, args ...string) {
		t.Helper()
		files[name] = filepath.Join(dir, name)
		if err := os.WriteFile(files[name], []byte(x.r.Must(t, "", args...)), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	save("users.csv", "users", "export")
	save("groups.csv", "groups", "export")
	save("memberships.csv", "memberships", "export")
	save("assignments.csv", "assignments", "export")
	save("roster.yaml", "file", "export")
	// What the port breaks already would not be let in again: rules that refuse
	// come last.
	whole, err := os.ReadFile(files["roster.yaml"])
	if err != nil {
		t.Fatal(err)
	}
	text := string(whole)
	first, _, ok := strings.Cut(text, "\ndefaults:")
	if !ok {
		t.Fatal("no defaults in the file")
	}
	files["first.yaml"] = filepath.Join(dir, "first.yaml")
	if err := os.WriteFile(files["first.yaml"], []byte(withoutOffers(first)+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}

	declared, _, ok := strings.Cut(text, "\napplications:")
	if !ok || !strings.Contains(declared, "cost_centre") {
		t.Fatal("no attributes before the applications")
	}
	declared = regexp.MustCompile(`(?m)^\s+head: .*\n`).ReplaceAllString(declared, "") // people come after the units they are in
	files["declared.yaml"] = filepath.Join(dir, "declared.yaml")
	if err := os.WriteFile(files["declared.yaml"], []byte(declared+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}

	to := testkit.Serve(t, testkit.Database(t))
	marta := setUp(t, to)
	y := at(t, to, demo.Administrator)
	every := []string{"-reason", "From the other installation", "-acknowledge", "gain_for_everybody", "-acknowledge", "wide_gain", "-acknowledge", "administering_gain",
		"-acknowledge", "violation_warned", "-acknowledge", "expectation_warned", "-acknowledge", "direct_assignment", "-acknowledge", "own_access_lowered"}
	load := func(says string, args ...string) {
		t.Helper()
		y.says(0, says, append(args, every...)...)
	}
	load("Declared the attribute", "file", "load", files["declared.yaml"])
	load("users added", "users", "import", files["users.csv"])
	load("groups added", "groups", "import", files["groups.csv"])
	load("Done, as revision", "file", "load", files["first.yaml"])
	load("memberships added", "memberships", "import", files["memberships.csv"])
	load("roles granted", "assignments", "import", files["assignments.csv"])
	load("Wrote the default rule", "file", "load", files["roster.yaml"])
	load("Nothing to change", "file", "load", files["roster.yaml"])
	load("Every row is so already", "users", "import", files["users.csv"])
	load("Every row is so already", "groups", "import", files["groups.csv"])
	load("Every row is so already", "memberships", "import", files["memberships.csv"])
	load("Every row is so already", "assignments", "import", files["assignments.csv"])

	old := from.SignIn(t, demo.Administrator)
	rows := 0
	for _, app := range demo.ApplicationKeys() {
		a, b := wholeGrid(t, old, app), wholeGrid(t, marta, app)
		if len(a) != len(b) {
			t.Errorf("%s: %d rows, then %d", app, len(a), len(b))
		}
		for user, cells := range a {
			rows++
			if b[user] != cells {
				t.Errorf("%s in %s: %s\nthen %s", user, app, cells, b[user])
			}
		}
	}
	if rows < 2000 {
		t.Errorf("only %d rows were compared", rows)
	}
	y.says(0, "The ledger verifies", "ledger", "verify")
}

// withoutOffers takes out what refers to routes, which come later.
func withoutOffers(text string) string {
	var out []string
	indent := -1
	for line := range strings.Lines(text) {
		depth := len(line) - len(strings.TrimLeft(line, " "))
		if indent >= 0 && depth > indent {
			continue
		}
		indent = -1
		if strings.TrimSpace(line) == "requestable:" {
			indent = depth
			continue
		}
		out = append(out, line)
	}
	return strings.Join(out, "")
}

// wholeGrid is every cell of an application by user, as text.
func wholeGrid(t *testing.T, c *client.Client, app string) map[string]string {
	t.Helper()
	out := map[string]string{}
	for cursor := ""; ; {
		g, err := c.Grid(ctx, client.Query{"application": app, "limit": "500", "cursor": cursor})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range g.Rows {
			var b strings.Builder
			for i, cell := range r.Cells {
				if cell.Mark == "" && !cell.Fenced {
					continue
				}
				b.WriteString(g.Columns[i].Action + " " + g.Columns[i].Path + "=" + cell.Mark)
				if cell.Until != nil {
					b.WriteString(cell.Until.String())
				}
				for word, so := range map[string]bool{"own": cell.Own, "fenced": cell.Fenced} {
					if so {
						b.WriteString(word)
					}
				}
				b.WriteString("; ")
			}
			out[r.Kind+r.User.Key] = b.String()
		}
		if cursor = g.Next; cursor == "" {
			return out
		}
	}
}
