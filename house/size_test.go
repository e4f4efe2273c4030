package house

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A room has one purpose, and about 3,000 lines at most; each stands in the table of rooms
// in docs/architecture.md.
func TestNoRoomIsTooLarge(t *testing.T) {
	t.Parallel()
	table, err := os.ReadFile(filepath.Join(root(), "docs", "architecture.md"))
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range rooms(t) {
		dir := strings.TrimPrefix(r.ImportPath, "ableroster/")
		if !bytes.Contains(table, []byte("\n| `"+dir+"` | ")) {
			t.Errorf("%s is not in the table of rooms of docs/architecture.md", dir)
		}
		lines := 0
		for _, name := range r.GoFiles {
			text, err := os.ReadFile(filepath.Join(root(), dir, name))
			if err != nil {
				t.Fatal(err)
			}
			if !bytes.Contains(text, []byte("\n// Code generated")) && !bytes.HasPrefix(text, []byte("// Code generated")) {
				lines += bytes.Count(text, []byte("\n"))
			}
		}
		if lines > 3300 {
			t.Errorf("%s has %d lines: give a part of it a room of its own", dir, lines)
		}
	}
}
