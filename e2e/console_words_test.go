package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/testkit"
)

// others are texts of each kind with other words, and what of both is found in what is built.
var others = []struct{ text, other, before, now string }{
	{"See everything as it was at the end of", "Alles sehen wie am Ende von", "See everything as", "Alles sehen wie"},
	{"Search for anyone or anything", "Nach allem suchen", "Search for anyone", "Nach allem suchen"}, // an attribute
	{"Committed as revision {0}.", "Als Revision {0} geschrieben.", "Committed as revision `,[`0`],`.`", "Als Revision `,[`0`],` geschrieben.`"},
	{"{0, plural, one {# delegation} other {# delegations}}", "{0, plural, one {# Befugnis} other {# Befugnisse}}", "[`#`,` delegations`]", "[`#`,` Befugnisse`]"},
}

// What the console says comes from one file: built with other words there, it says these.
func TestTheConsoleSaysWhatStandsInItsFileOfWords(t *testing.T) {
	t.Parallel()
	at := t.TempDir()
	from := filepath.Join(testkit.Root(), "console")
	for _, name := range []string{"src", "public"} {
		if err := os.CopyFS(filepath.Join(at, "console", name), os.DirFS(filepath.Join(from, name))); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"console/node_modules", "docs", "wire"} { // what it is built with, and only reads
		if err := os.Symlink(filepath.Join(testkit.Root(), name), filepath.Join(at, name)); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(filepath.Join(at, "console", "words"), 0o755); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"index.html", "package.json", "tsconfig.json", "vite.config.ts", "words.ts", "lingui.config.js", "words/en.po"} {
		text, err := os.ReadFile(filepath.Join(from, name))
		if err != nil {
			t.Fatal(err)
		}
		if name == "words/en.po" {
			for _, x := range others {
				said := func(words string) []byte { return []byte("\nmsgid \"" + x.text + "\"\nmsgstr \"" + words + "\"\n") }
				if bytes.Count(text, said(x.text)) != 1 {
					t.Fatalf("the file of words has not once: %s", x.text)
				}
				text = bytes.Replace(text, said(x.text), said(x.other), 1)
			}
		}
		if err := os.WriteFile(filepath.Join(at, "console", name), text, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	build := exec.Command(filepath.Join(from, "node_modules", ".bin", "vite"), "build", "--logLevel", "warn")
	build.Dir = filepath.Join(at, "console")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	var all strings.Builder
	scripts, _ := filepath.Glob(filepath.Join(at, "console", "dist", "assets", "*.js"))
	for _, name := range scripts {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		all.Write(text)
	}
	for _, x := range others {
		if !strings.Contains(all.String(), x.now) || strings.Contains(all.String(), x.before) {
			t.Errorf("“%s” was to be “%s” in what is built", x.text, x.other)
		}
	}
}
