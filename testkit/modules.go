package testkit

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// Load has the page know modules of the console, named below console/src, under a
// name: what the console works out by itself can be asked there, and compared.
func (b *Tab) Load(name string, modules ...string) {
	b.t.Helper()
	b.Eval(bundle(b.t, name, modules)+"\n;0", nil)
}

// bundle makes one script of modules, with what they import, as the console is built.
func bundle(t testing.TB, name string, modules []string) string {
	t.Helper()
	console := filepath.Join(Root(), "console")
	var entry strings.Builder
	for _, m := range modules {
		fmt.Fprintf(&entry, "export * from %q\n", filepath.Join(console, "src", m))
	}
	file := filepath.Join(t.TempDir(), "entry.ts")
	if err := os.WriteFile(file, []byte(entry.String()), 0o644); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("node", "--input-type=module", "-e", fmt.Sprintf(`
		import { build } from 'vite'
		const lib = { entry: %q, formats: ['iife'], name: %q }
		const [made] = await build({
			logLevel: 'error',
			define: { 'process.env.NODE_ENV': '"production"' },
			build: { lib, write: false, minify: false, copyPublicDir: false },
		})
		process.stdout.write(made.output.find((o) => o.type === 'chunk').code)`, file, name))
	cmd.Dir = console
	var wrong strings.Builder
	cmd.Stderr = &wrong
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("the console's modules could not be bundled: %v\n%s", err, wrong.String())
	}
	return string(out)
}
