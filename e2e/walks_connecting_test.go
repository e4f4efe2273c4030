package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/testkit"
)

// blocksOf are the indented blocks of a page, each as its lines: commands, or a call with its body.
func blocksOf(t *testing.T, page string) (out [][]string) {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(testkit.Root(), page))
	if err != nil {
		t.Fatal(err)
	}
	var block []string
	for line := range strings.Lines(string(text) + "\n") {
		if c, ok := strings.CutPrefix(strings.TrimRight(line, "\n"), "    "); ok {
			block = append(block, c)
		} else if len(block) > 0 {
			out, block = append(out, block), nil
		}
	}
	return out
}

// The guide "Connecting": a directory keeps people by SCIM, and an application asks by AuthZEN, as
// they are told to on the page; each call with the token that was made last.
func TestTheWalkOfConnecting(t *testing.T) {
	const page = "docs/guide/connecting.md"
	w := newWalk(t, page)
	want := []saying{
		{0, "Signed in"}, {0, "Added Directory"}, {0, "are accountable for the machine account Directory"}, {0, "Granted"}, {0, "A new token of Directory"},
		{200, `"supported":true`}, {201, `"userName":"otto.lindqvist"`}, {200, `"totalResults":1`}, {200, `"title":"Boatswain"`}, {204, ""},
		{0, "directory.sync"}, {0, "Otto Lindqvist departed"},
		{0, "Mooring log"}, {0, "Granted"}, {0, "live"}, {0, "Added the role Mooring board account"}, {0, "A new token of Mooring board"},
		{200, `{"decision":false`}, {200, `{"decision":true`}, {200, `"evaluations":[{"decision":false`},
		{0, "berths/north-2"}, {0, "through Berth board"}, {0, "shareable with 2 users at most within a resource"}, {0, "Ended 1 share"},
	}
	var token, id string
	for _, block := range blocksOf(t, page) {
		if len(want) == 0 {
			t.Fatalf("nothing is expected of %s", block[0])
		}
		method, address, _ := strings.Cut(block[0], " ")
		if method != strings.ToUpper(method) || !strings.HasPrefix(address, "/") {
			for _, c := range block {
				w.commands = []string{c}
				if strings.Contains(c, "machine-accounts rotate") {
					cmd := exec.Command("sh", "-c", c+" -output json")
					cmd.Env = append(os.Environ(), w.env...)
					out, err := cmd.Output()
					var made struct {
						Token struct{ Secret string }
					}
					if err != nil || json.Unmarshal(out, &made) != nil || made.Token.Secret == "" {
						t.Fatalf("%s: %v %s", c, err, out)
					}
					token = made.Token.Secret
				} else {
					w.step(want[0].code, want[0].text)
				}
				want = want[1:]
			}
			continue
		}
		req, err := http.NewRequest(method, w.s.Base+strings.Replace(address, "{id}", id, 1), strings.NewReader(strings.Join(block[1:], "\n")))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		if req.Header.Set("Content-Type", "application/json"); strings.HasPrefix(address, "/scim/") {
			req.Header.Set("Content-Type", "application/scim+json")
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		if err != nil {
			t.Fatal(err)
		}
		if said := strings.ReplaceAll(string(raw), ": ", ":"); resp.StatusCode != want[0].code || !strings.Contains(said, want[0].text) {
			t.Errorf("%s: %d, want %d and %s: %s", block[0], resp.StatusCode, want[0].code, want[0].text, raw)
		}
		var made struct{ ID string }
		if json.Unmarshal(raw, &made) == nil && method == "POST" && made.ID != "" {
			id = made.ID
		}
		want = want[1:]
	}
	if len(want) > 0 {
		t.Errorf("the walk is over; “%s” is expected", want[0].text)
	}
}
