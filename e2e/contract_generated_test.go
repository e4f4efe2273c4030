package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Of the document alone a generator makes a client that works: its types fit what one writes
// with them, and ten tasks are done with it. (The console's own is made by another generator.)
func TestAGeneratedClientDoesTenTasks(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	console, dir := filepath.Join(testkit.Root(), "console"), t.TempDir()
	_, _, document := ask(t, s.SignIn(t, demo.Administrator), "GET", "/openapi.json", "")
	write(t, filepath.Join(dir, "openapi.json"), string(document))
	write(t, filepath.Join(dir, "package.json"), `{"type":"module"}`)
	tasks, err := os.ReadFile("testdata/tasks.ts")
	if err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(dir, "tasks.ts"), string(tasks))
	// As a project has it: what it is checked against stands beside it.
	if err := os.Symlink(filepath.Join(console, "node_modules"), filepath.Join(dir, "node_modules")); err != nil {
		t.Fatal(err)
	}
	run := func(name string, args ...string) string {
		t.Helper()
		cmd := exec.Command(filepath.Join(console, "node_modules", ".bin", name), args...)
		if name == "node" {
			cmd = exec.Command("node", args...)
		}
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "BASE="+s.Base, "PASSWORD="+demo.Password)
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%s %s: %v\n%s", name, strings.Join(args, " "), err, out)
		}
		return string(out)
	}
	run("swagger-typescript-api", "generate", "-p", "openapi.json", "-o", dir, "-n", "api.ts")
	run("tsc", "--strict", "--target", "es2022", "--module", "nodenext", "--lib", "es2022,dom,dom.iterable", "--skipLibCheck", "tasks.ts")
	if out := run("node", "tasks.js"); strings.Count(out, "\n") != 10 {
		t.Errorf("it did:\n%s", out)
	}
}
