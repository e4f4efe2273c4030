package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/testkit"
)

// plain are names that need no line in the glossary: they are of HTTP, of signing in, or
// plain English.
var plain = map[string]bool{"today": true, "me": true, "session": true, "token": true, "set up": true, "sign in": true, "sign out": true, "sign in link": true, "whoami": true,
	"version": true, "manual": true, "completion": true, "file": true, "import": true, "list": true, "search": true, "check": true, "menu": true, "what if": true, "setting": true, "holder": true, "grid": true, "over time": true,
	"view as": true, "history": true, "refusal": true, "security log": true, "decide": true, "withdraw": true, "route": true, "membership": true, "users.csv": true, "grid.csv": true,
	"groups.csv": true, "memberships.csv": true, "assignments.csv": true, "openapi.json": true, "my access": true, "pending": true, "gained and lost": true}

// Every noun of the command line, every page of the console and every path of the API is
// a term of the glossary, or plain.
func TestNamesAreThoseOfTheGlossary(t *testing.T) {
	t.Parallel()
	raw, err := os.ReadFile(filepath.Join(testkit.Root(), "docs", "glossary.md"))
	if err != nil {
		t.Fatal(err)
	}
	glossary := strings.ReplaceAll(strings.ToLower(string(raw)), "-", " ")
	held := map[string]int{}
	hold := func(where, name string) {
		t.Helper()
		held[where]++
		words := strings.ToLower(strings.NewReplacer("-", " ", "_", " ").Replace(name))
		one := strings.TrimSuffix(words, "s")
		if !plain[words] && !plain[one] && !strings.Contains(glossary, "**"+words) && !strings.Contains(glossary, "**"+one) && !strings.Contains(glossary, "("+one+")") && !strings.Contains(glossary, one+"*") {
			t.Errorf("%s: “%s” is no term of docs/glossary.md", where, name)
		}
	}
	help := testkit.Run(t, "", "roster", "help")
	for _, m := range regexp.MustCompile(`(?m)^  roster ([a-z-]+)`).FindAllStringSubmatch(help, -1) {
		hold("command line", m[1])
	}
	pages, err := os.ReadFile(filepath.Join(testkit.Root(), "console", "src", "shell", "pages.ts"))
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range regexp.MustCompile("to: '/[a-z-]+', label: t`([^`]+)`").FindAllStringSubmatch(string(pages), -1) {
		hold("console", m[1])
	}
	var document struct{ Paths map[string]any }
	if err := json.Unmarshal([]byte(testkit.Run(t, "", "rosterd", "openapi")), &document); err != nil {
		t.Fatal(err)
	}
	for path := range document.Paths {
		first, _, _ := strings.Cut(strings.TrimPrefix(path, "/api/v1/"), "/")
		hold("API", first)
	}
	for where, least := range map[string]int{"command line": 40, "console": 30, "API": 60} {
		if held[where] < least {
			t.Errorf("only %d names of the %s were held to the glossary", held[where], where)
		}
	}
}
