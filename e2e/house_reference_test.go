package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"ableroster/testkit"
)

// The reference in docs/reference is made from the programs themselves; make reference
// writes it anew.
func TestTheReferenceIsThatOfThePrograms(t *testing.T) {
	for name, want := range map[string]string{"command-line.md": commandLineReference(t), "roster-file.md": rosterFileReference(t), "files.md": filesReference()} {
		path := filepath.Join(testkit.Root(), "docs", "reference", name)
		if os.Getenv("ROSTER_REFERENCE") != "" {
			if err := os.WriteFile(path, []byte(want), 0o644); err != nil {
				t.Fatal(err)
			}
			continue
		}
		if got, err := os.ReadFile(path); err != nil || string(got) != want {
			t.Errorf("%s is not what the programs say (%v): run make reference", name, err)
		}
	}
}

// The client's reads are made from the document that the service gives: none is forgotten,
// and none asks for what there is not. scripts/build.sh writes them anew.
func TestTheReadsOfTheClientAreThoseOfTheDocument(t *testing.T) {
	document, written := filepath.Join(t.TempDir(), "openapi.json"), filepath.Join(t.TempDir(), "reads.go")
	if err := os.WriteFile(document, []byte(testkit.Run(t, "", "rosterd", "openapi")), 0o644); err != nil {
		t.Fatal(err)
	}
	generate := exec.Command("go", "run", "client/generate.go", document, written)
	generate.Dir = testkit.Root()
	if out, err := generate.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	want, err := os.ReadFile(written)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := os.ReadFile(filepath.Join(testkit.Root(), "client", "reads.go")); err != nil || !bytes.Equal(got, want) {
		t.Errorf("client/reads.go is not what the document says (%v): run scripts/build.sh", err)
	}
}

func commandLineReference(t *testing.T) string {
	var b strings.Builder
	b.WriteString("# Command line\n\nWhat `roster` can do. Made from the program by `make reference`.\n")
	help := testkit.Run(t, "", "roster", "help")
	_, end, _ := strings.Cut(help, "\nEvery command takes")
	b.WriteString("\nThe examples work on the demo organisation: a test runs each of them.\n")
	b.WriteString("\nEvery command takes" + strings.ReplaceAll(strings.TrimRight(end, "\n"), "\n\n", "\n\n") + "\n")
	for _, m := range regexp.MustCompile(`(?m)^  roster ([a-z][a-z -]*[a-z])`).FindAllStringSubmatch(help, -1) {
		words := strings.Fields(m[1])
		said := testkit.Run(t, "", "roster", append(words, "-help")...)
		usage, rest, _ := strings.Cut(said, "\n")
		about, rest, _ := strings.Cut(strings.TrimLeft(rest, " "), "\n")
		examples, flags, _ := strings.Cut(strings.TrimPrefix(strings.TrimLeft(rest, "\n"), "Examples\n"), "\nOptions\n")
		fmt.Fprintf(&b, "\n## roster %s\n\n%s.\n\n```\n%s\n```\n\n```\n%s```\n\n```\n%s```\n", m[1], strings.ToUpper(about[:1])+about[1:], usage, strings.ReplaceAll(examples, "  roster", "roster"), flags)
	}
	return b.String()
}

// formOf is what of a JSON Schema is told.
type formOf struct {
	Ref         string             `json:"$ref"`
	Type        any                `json:"type"`
	Description string             `json:"description"`
	Enum        []any              `json:"enum"`
	Properties  map[string]*formOf `json:"properties"`
	Items       *formOf            `json:"items"`
	More        any                `json:"additionalProperties"`
	Required    []string           `json:"required"`
	Defs        map[string]*formOf `json:"$defs"`
}

func rosterFileReference(t *testing.T) string {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	raw, err := s.SignIn(t, "marta.quill").RosterFileSchema(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var top formOf
	if err := json.Unmarshal(raw, &top); err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	b.WriteString("# Roster file\n\nOne YAML document that describes applications, roles, groups and rules. `roster file load FILE` makes the\n" +
		"organisation as it says, as one change; loading it twice changes nothing. `roster file export` writes one, and\n`roster file schema` prints its JSON Schema. " +
		"What a file does not name stays as it is.\n\nMade from the schema by `make reference`. [An example](../examples/mooring-log.yaml).\n")
	table := func(title string, x *formOf) {
		fmt.Fprintf(&b, "\n## %s\n\n| field | kind | meaning |\n|---|---|---|\n", title)
		for _, name := range slices.Sorted(maps.Keys(x.Properties)) {
			p := x.Properties[name]
			text := p.Description
			if len(p.Enum) > 0 {
				text = strings.TrimSpace(text + fmt.Sprintf(" (one of %s)", strings.Trim(fmt.Sprint(p.Enum), "[]")))
			}
			if slices.Contains(x.Required, name) {
				text = strings.TrimSpace(text + " *required*")
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", name, kindOf(p), strings.ReplaceAll(text, "|", "\\|"))
		}
	}
	table("The file", &top)
	for _, name := range slices.Sorted(maps.Keys(top.Defs)) {
		table(name, top.Defs[name])
	}
	return b.String()
}

// kindOf says what a value is.
func kindOf(s *formOf) string {
	switch {
	case s == nil:
		return ""
	case s.Ref != "":
		return s.Ref[strings.LastIndex(s.Ref, "/")+1:]
	case s.Items != nil:
		return "list of " + kindOf(s.Items)
	}
	if more, ok := s.More.(map[string]any); ok {
		if ref, ok := more["$ref"].(string); ok {
			return "by key: " + ref[strings.LastIndex(ref, "/")+1:]
		}
	}
	if all, ok := s.Type.([]any); ok && len(all) > 0 {
		return fmt.Sprint(all[0])
	}
	return fmt.Sprint(s.Type)
}
