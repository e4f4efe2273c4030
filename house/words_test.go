package house

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// retired are words that the glossary has better ones for, and the names that were made
// of them. They stand in migrations and in the frozen translator of the first format
// alone.
var retired = regexp.MustCompile(`(?i)\bhand-?outs?\b|\bhanded out\b|\bfirst[-_]day\b|\bsame[-_]as\b|offer_role|end_offer|ask_role|review_lines|settle_proposal|` +
	`\bproposals?\b|_conflicts?\b|\bconflict_(prevented|warned)|\bconflicts? (rule|between|of)\b|\bverdicts?\b|longest_days|"longest"|\bKeptOf\b|KeepKind|` +
	`internal/(desk|heap|intake|strict|tally)\b|\bslice/|/api/v1/(offers|parts|hand-outs|between|find|conflicts|first-day)\b|roster (me|offers|offer|life|between|parts|conflicts|hand-outs) ` +
	`|answers for (it|the)|\bsays? (that you mean|why first)\b|\bacquaint\b`)

// apart are the places where they may stand.
var apart = []string{"internal/ledger/migrations/", "internal/ledger/format1", "internal/ledger/testdata/", "internal/format1/", "house/words_test.go", "console/package-lock.json", "go.sum", "internal/fact/id.go"}

func TestRetiredWordsAreGone(t *testing.T) {
	t.Parallel()
	cmd := exec.Command("git", "ls-files", "-co", "--exclude-standard")
	cmd.Dir = root()
	out, err := cmd.Output()
	if err != nil {
		t.Skip("no working copy of git")
	}
next:
	for _, name := range strings.Fields(string(out)) {
		for _, a := range apart {
			if strings.HasPrefix(name, a) {
				continue next
			}
		}
		raw, err := os.ReadFile(filepath.Join(root(), name))
		if err != nil || bytes.IndexByte(raw, 0) >= 0 {
			continue
		}
		for i, line := range strings.Split(string(raw), "\n") {
			if w := retired.FindString(line); w != "" {
				t.Errorf("%s:%d: “%s” is a word that the glossary has a better one for: %s", name, i+1, w, strings.TrimSpace(line[:min(len(line), 160)]))
			}
		}
	}
}
