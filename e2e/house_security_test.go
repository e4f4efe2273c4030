package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/testkit"
)

// The page of what holds names tests that are there, and each line of its tables names one
// but where it says that there is nothing, or that it is open.
func TestTheSecurityPageIsHeldToTheTests(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join(testkit.Root(), "docs/security.md"))
	if err != nil {
		t.Fatal(err)
	}
	there := testsOf(t)
	named := regexp.MustCompile(`\bTest[A-Z]\w+`)
	lines := 0
	for line := range strings.Lines(string(raw)) {
		tests := named.FindAllString(line, -1)
		for _, name := range tests {
			if !there[name] {
				t.Errorf("there is no %s", name)
			}
		}
		if !strings.HasPrefix(line, "| ") || strings.Contains(line, "| test |") {
			continue
		}
		lines++
		cells := strings.Split(line, "|")
		if held := strings.TrimSpace(cells[2]); len(tests) == 0 && !strings.HasPrefix(held, "none") && !strings.HasPrefix(held, "*Open") {
			t.Errorf("no test for %s", cells[1])
		}
	}
	if lines < 40 {
		t.Errorf("only %d lines", lines)
	}
}
