package house

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var links = regexp.MustCompile(`\]\(([^)\s]+)\)`)

// Every link in what is to be read leads to a file, or to a heading of one, that is there;
// the README is short, and every page of docs is linked from some other.
func TestLinksOfTheDocs(t *testing.T) {
	root := root()
	pages := []string{"README.md", "CONTRIBUTING.md"}
	err := filepath.WalkDir(filepath.Join(root, "docs"), func(path string, _ os.DirEntry, err error) error {
		if strings.HasSuffix(path, ".md") {
			name, _ := filepath.Rel(root, path)
			pages = append(pages, name)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	text := map[string]string{}
	for _, p := range pages {
		raw, err := os.ReadFile(filepath.Join(root, p))
		if err != nil {
			t.Fatal(err)
		}
		text[p] = string(raw)
	}
	linked := map[string]bool{"README.md": true}
	for _, p := range pages {
		for _, m := range links.FindAllStringSubmatch(text[p], -1) {
			if strings.Contains(m[1], "://") {
				continue
			}
			file, heading, _ := strings.Cut(m[1], "#")
			to := p
			if file != "" {
				to = filepath.Join(filepath.Dir(p), file)
			}
			info, err := os.Stat(filepath.Join(root, to))
			if err != nil {
				t.Errorf("%s leads to %s, which is not there", p, m[1])
				continue
			}
			if heading != "" && !hasHeading(text[to], heading) {
				t.Errorf("%s leads to %s, and there is no such heading", p, m[1])
			}
			linked[to] = true
			if info.IsDir() {
				for _, other := range pages {
					linked[other] = linked[other] || filepath.Dir(other) == filepath.Clean(to)
				}
			}
		}
	}
	for _, p := range pages {
		if !linked[p] {
			t.Errorf("no page leads to %s", p)
		}
	}
	if n := strings.Count(text["README.md"], "\n"); n > 150 {
		t.Errorf("the README has %d lines, of 150", n)
	}
}

var notInAnchors = regexp.MustCompile(`[^\p{L}\p{N} _-]`)

func hasHeading(page, anchor string) bool {
	for _, line := range strings.Split(page, "\n") {
		if h := strings.TrimLeft(line, "#"); h != line {
			if strings.ReplaceAll(notInAnchors.ReplaceAllString(strings.ToLower(strings.TrimSpace(h)), ""), " ", "-") == anchor {
				return true
			}
		}
	}
	return false
}
