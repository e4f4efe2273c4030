package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
)

// exampleFiles are what the examples of the command line read.
var exampleFiles = map[string]string{
	"password.txt":    demo.Password + "\n",
	"people.csv":      "user_name,display_name,unit,title\nlena.marrick,Lena Marrick,marine/tugs,Deckhand\nines.halloran,,,Senior pilot\n",
	"memberships.csv": "group,user\nnight-pilots,zoe.marrick\n",
	"groups.csv":      "group,label,unit\nregatta-desk,Regatta desk,marine\n",
	"assignments.csv": "role,user,until\ntide-board/editor,zoe.marrick,2027-01-31\n",
	"paths.txt":       "board\nboard/arrivals\nboard/regatta\n",
	"change.json":     `{"operations":[{"op":"add_group","key":"regatta"},{"op":"add_member","group":"regatta","user":"ines.halloran"}],"reason":"Regatta"}`,
	"mapping.yaml":    "columns:\n  - column: user_name\n    from: [Uid]\n  - column: display_name\n    from: [Name]\n",
}

// refusedHere are examples that are refused in the demo as it is, with 3: what they name is
// not there.
var refusedHere = regexp.MustCompile(`^roster (imports cancel|second-factor (add -code|remove|recovery-codes)|users remove-second-factor|sessions end)`)

// The examples of the help are run, one after another, as somebody would who tries them; each
// command has two or more.
func TestTheExamplesOfTheHelpWork(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t), mailboxOf(t).with...)
	r, dir := s.CommandLine(t), t.TempDir()
	for name, text := range exampleFiles {
		write(t, filepath.Join(dir, name), text)
	}
	if err := os.Mkdir(filepath.Join(dir, "incoming"), 0o755); err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(dir, "incoming", "people.csv"), exampleFiles["people.csv"])
	loaded, err := os.ReadFile(filepath.Join(testkit.Root(), "docs/examples/mooring-log.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(dir, "mooring-log.yaml"), string(loaded))
	run := func(line string) (out, errOut string, code int) {
		cmd := exec.Command("sh", "-c", line)
		cmd.Dir, cmd.Env, cmd.Stdin = dir, append(os.Environ(), r.Env()...), strings.NewReader(demo.Password+"\n")
		var o, e bytes.Buffer
		cmd.Stdout, cmd.Stderr = &o, &e
		if err := cmd.Run(); err != nil && cmd.ProcessState == nil {
			t.Fatal(err)
		}
		return o.String(), e.String(), cmd.ProcessState.ExitCode()
	}
	// In the order of the table the examples of one command build on those before.
	all, _, _ := run("roster examples")
	for line := range strings.SplitSeq(strings.TrimSpace(all), "\n") {
		out, errOut, code := run(strings.ReplaceAll(asOfNow(line), "http://127.0.0.1:7420", s.Base))
		if code != 0 && code != 1 && !(code == 3 && refusedHere.MatchString(line)) || strings.Contains(errOut, "usage:") {
			t.Errorf("%s: exit %d\n%.600s%.600s", line, code, out, errOut)
		}
	}
	for _, m := range regexp.MustCompile(`(?m)^  roster ([a-z]+(?:-[a-z]+)*(?: [a-z]+(?:-[a-z]+)*)?)(?: .*)?$`).FindAllStringSubmatch(r.Must(t, "", "help"), -1) {
		n := strings.Count(r.Must(t, "", append(strings.Fields(m[1]), "-help")...), "\n  roster "+m[1])
		if n < 2 && m[1] != "sign-out" {
			t.Errorf("roster %s -help has %d examples", m[1], n)
		}
	}
}

// asOfNow has the days of an example as far from now as they were from the day it was written,
// as all that happens in the demo is.
func asOfNow(line string) string {
	since := time.Since(time.Date(2026, 11, 28, 0, 0, 0, 0, time.UTC))
	return regexp.MustCompile(`\b20\d\d-\d\d-\d\d\b`).ReplaceAllStringFunc(line, func(day string) string {
		d, err := time.Parse(time.DateOnly, day)
		if err != nil {
			return day
		}
		return d.Add(since).Format(time.DateOnly)
	})
}

func write(t *testing.T, file, text string) {
	t.Helper()
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}
