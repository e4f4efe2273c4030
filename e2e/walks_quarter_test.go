package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/testkit"
)

// The guide "A quarter's work", run as it is written there, says at each step what its reader is to see.
func TestAQuarterInTheLifeOfLarkhaven(t *testing.T) {
	w := newWalk(t, "docs/guide/quarter.md")
	for _, x := range []saying{
		{0, "Signed in"}, {0, "crane-crew"}, {0, "Crane observer by the default rule Crane crew"}, {0, "Wanda Okoro gains"}, {0, "Crane control"},
		{0, "Signed in"}, {0, "raise a works order"}, {0, "request-39 waits for the manager: Tomas Brandt."}, {0, "Signed in"}, {0, "request-39"},
		{0, "would give create orders"}, {0, "Approved and gave the role Order raiser for Inês Halloran"},
		{0, "Signed in"}, {0, "by the role Order raiser"}, {0, "would lose"}, {0, "loses"}, {0, "Wanda Okoro departed"}, {0, "does not count now"},
		{0, "credit-two-hands"}, {0, "Done, as revision"}, {3, "would violate the SoD rule Credits take two"},
		{0, "marine-winter"}, {0, "Tomas Brandt"}, {0, "Signed in"}, {0, "group Pilots"}, {0, "marked for revocation"}, {0, "items kept"}, {0, "Signed in"},
		{0, "items kept"}, {0, "would lose"}, {0, "1 item revoked"},
		{0, "Signed in"}, {1, "no role held gives it"}, {0, "Tariff ledger"}, {0, "role Tariff reader, direct"}, {0, "Inês Halloran"}, {0, "The ledger verifies"},
	} {
		w.step(x.code, x.text)
	}
	w.done()
}

type saying struct {
	code int
	text string
}

// walk runs the commands of a page of the guide as they are written there,
// one after the other.
type walk struct {
	t        *testing.T
	s        *testkit.Service
	env      []string
	commands []string
}

func newWalk(t *testing.T, page string, args ...string) *walk {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(testkit.Root(), page))
	if err != nil {
		t.Fatal(err)
	}
	s := testkit.Serve(t, testkit.DemoDatabase(t), args...)
	w := &walk{t: t, s: s, env: s.CommandLine(t).Env()}
	for line := range strings.Lines(string(text)) {
		if c, ok := strings.CutPrefix(line, "    "); ok && !strings.HasPrefix(c, "make ") && !strings.HasPrefix(c, "export ") {
			w.commands = append(w.commands, strings.TrimSpace(c))
		}
	}
	return w
}

// step runs the next command, which is to end so and say so.
func (w *walk) step(code int, text string) {
	w.t.Helper()
	if len(w.commands) == 0 {
		w.t.Fatalf("the walk is over; “%s” is expected", text)
	}
	c := w.commands[0]
	w.commands = w.commands[1:]
	cmd := exec.Command("sh", "-c", c)
	cmd.Env = append(os.Environ(), w.env...)
	cmd.Dir = testkit.Root()
	out, err := cmd.CombinedOutput()
	got := 0
	if exit, ok := err.(*exec.ExitError); ok {
		got = exit.ExitCode()
	} else if err != nil {
		w.t.Fatal(err)
	}
	if said := strings.Join(strings.Fields(string(out)), " "); got != code || !strings.Contains(said, text) {
		w.t.Errorf("%s: exit %d, want %d and “%s”:\n%s", c, got, code, text, out)
	}
}

func (w *walk) done() {
	w.t.Helper()
	if len(w.commands) > 0 {
		w.t.Errorf("the walk has %d commands more, the first %s", len(w.commands), w.commands[0])
	}
}

// The walks of the README and of the first page of the guide, run as they are written
// there.
func TestTheFirstSteps(t *testing.T) {
	w := newWalk(t, "README.md")
	for _, x := range []saying{
		{0, "Signed in"}, {0, "would gain"}, {0, "Done, as revision"}, {0, "allowed"}, {0, "Revoked"}, {0, "Inês Halloran has"}, {0, "The ledger verifies"},
	} {
		w.step(x.code, x.text)
	}
	w.done()
	w = newWalk(t, "docs/guide/first-steps.md")
	for _, x := range []saying{
		{0, "Signed in"}, {0, "would gain"}, {0, "Added Zoë Marrick"}, {1, "denied"}, {0, "would gain"}, {0, "Done, as revision"}, {0, "allowed"},
		{0, "Zoë Marrick has"}, {0, "Revoked"}, {1, "denied"}, {0, "Zoë Marrick"}, {0, "The ledger verifies"}, {0, "Inês Halloran has"},
		{0, "holder"}, {0, ""}, {0, ""}, {0, "berth-planning/scheduler"}, {0, ""}, {1, "fence"}, {0, "user"}, {0, ""}, {0, "Revoked"},
	} {
		w.step(x.code, x.text)
	}
	w.done()
}
