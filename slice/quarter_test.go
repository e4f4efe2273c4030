package slice

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/testkit"
)

// The walk "A quarter in the life of Larkhaven" of the README, run as it is
// written there, says at each step what its reader is to see.
func TestAQuarterInTheLifeOfLarkhaven(t *testing.T) {
	text, err := os.ReadFile(filepath.Join(testkit.Root(), "README.md"))
	if err != nil {
		t.Fatal(err)
	}
	_, walk, ok := strings.Cut(string(text), "## A quarter in the life of Larkhaven")
	walk, _, _ = strings.Cut(walk, "\n## ")
	if !ok {
		t.Fatal("the README has no such walk")
	}
	var commands []string
	for line := range strings.Lines(walk) {
		if c, ok := strings.CutPrefix(line, "    "); ok {
			commands = append(commands, strings.TrimSpace(c))
		}
	}
	says := []struct {
		code int
		text string
	}{
		{0, "Signed in"}, {0, "crane-crew"}, {0, "Crane observer by the default rule Crane crew"}, {0, "Wanda Okoro gains"}, {0, "Crane control"},
		{0, "Signed in"}, {0, "raise a works order"}, {0, "request-9 waits for the manager: Tomas Brandt."}, {0, "Signed in"}, {0, "request-9"},
		{0, "would add create orders"}, {0, "Approved and gave the role Order raiser for Inês Halloran"},
		{0, "Signed in"}, {0, "by the role Order raiser"}, {0, "would lose"}, {0, "loses"}, {0, "Wanda Okoro departed"}, {0, "does not count now"},
		{0, "credit-two-hands"}, {0, "Done, as revision"}, {3, "would break the conflict Credits take two"},
		{0, "marine-winter"}, {0, "Tomas Brandt"}, {0, "Signed in"}, {0, "group Pilots"}, {0, "marked to revoke"}, {0, "lines kept"}, {0, "Signed in"},
		{0, "lines kept"}, {0, "would lose"}, {0, "1 line revoked"},
		{0, "Signed in"}, {1, "no role held gives it"}, {0, "Tariff ledger"}, {0, "role Tariff reader, direct"}, {0, "Inês Halloran"}, {0, "The ledger verifies"},
	}
	if len(commands) != len(says) {
		t.Fatalf("the walk has %d commands, %d are expected", len(commands), len(says))
	}
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	r := s.CommandLine(t)
	for i, c := range commands {
		cmd := exec.Command("sh", "-c", c)
		cmd.Env = append(os.Environ(), r.Env()...)
		out, err := cmd.CombinedOutput()
		code := 0
		if exit, ok := err.(*exec.ExitError); ok {
			code = exit.ExitCode()
		} else if err != nil {
			t.Fatal(err)
		}
		if said := strings.Join(strings.Fields(string(out)), " "); code != says[i].code || !strings.Contains(said, says[i].text) {
			t.Errorf("%s: exit %d, want %d and “%s”:\n%s", c, code, says[i].code, says[i].text, out)
		}
	}
}
