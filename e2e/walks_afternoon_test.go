package e2e

import (
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// board is the example application as somebody uses it.
type board struct {
	t    *testing.T
	base string
	http *http.Client
}

// serveBoard starts the berth board on a service.
func serveBoard(t *testing.T, s *testkit.Service) *board {
	t.Helper()
	var token wire.Token
	if err := s.SignIn(t, demo.Administrator).Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "berth board", User: demo.BerthBoard}, &token); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "token")
	if err := os.WriteFile(file, []byte(token.Secret+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	b := testkit.Serving(t, exec.Command(testkit.Program(t, "berthboard"), "-listen", "127.0.0.1:0", "-service", s.Base, "-token-file", file),
		regexp.MustCompile(`serves on (http://\S+)`))
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &board{t, b.Base, &http.Client{Jar: jar}}
}

func (b *board) as(user string) {
	b.t.Helper()
	b.post("/sign-in", url.Values{"user": {user}}, "")
}

func (b *board) post(path string, form url.Values, want string) {
	b.t.Helper()
	r, err := b.http.PostForm(b.base+path, form)
	b.reads(path, r, err, want)
}

func (b *board) get(path, want string) {
	b.t.Helper()
	r, err := b.http.Get(b.base + path)
	b.reads(path, r, err, want)
}

func (b *board) reads(path string, r *http.Response, err error, want string) {
	b.t.Helper()
	if err != nil {
		b.t.Fatal(err)
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil || !strings.Contains(string(text), want) {
		b.t.Errorf("%s does not say “%s” (%v):\n%s", path, want, err, text)
	}
}

// The guide "A new application", run as it is written there; the example application asks along the way.
func TestANewApplicationInAnAfternoon(t *testing.T) {
	w := newWalk(t, "docs/guide/new-application.md")
	b := serveBoard(t, w.s)
	b.as(demo.Pilot)
	b.get("/mooring-log", "Mooring log is not for you")

	w.step(0, "Signed in")
	w.step(0, "Nothing was changed. The ledger would say: Added the application Mooring log")
	w.step(0, "Done, as revision")
	w.step(0, "Nothing to change: everything is so already.")
	b.get("/mooring-log", "This application is not open yet.") // a draft, and she is in no trial group
	b.as(demo.Manager)
	b.get("/mooring-log", "You may not do this. Ask for access, or ask whoever looks after the application.") // he is in the trial group, and nothing is given yet
	b.as(demo.Pilot)

	w.step(0, "log/fuel-jetty reader jetty-linesman keeper")
	w.step(0, "log/* covers 3 registered resources today")
	w.step(0, "within log/north of Mooring log")
	w.step(0, "Granted Mooring reader to the group Pilots")
	w.step(3, "Acknowledge gain_for_everybody to go on")
	w.step(0, "Nobody signed in")
	w.step(0, "0 of 3 expectations do not hold")
	w.step(3, "The expectation “Pilots only read the mooring log” would be broken by")
	w.step(0, "now rehearsal")

	b.get("/mooring-log", "Mooring log")
	b.post("/log", url.Values{"path": {"log"}}, "Logged in log.")
	b.get("/mooring-log/lines", "Lines in use")
	b.as(demo.Manager)
	b.get("/mooring-log", "Mooring log")
	b.get("/mooring-log/lines", "Lines in use")

	w.step(1, "Inês Halloran update log 1 time")
	w.step(1, "not registered log/lines log/fuel-jetty, log/north, log/south")
	w.step(0, "Registered log/lines in Mooring log")
	w.step(0, "Granted Log keeper to the group Berth office")
	w.step(0, "Mooring log log read 6 of 7")
	w.step(0, "now live")

	b.post("/log", url.Values{"path": {"log"}}, "Logged in log.") // he keeps it
	b.as(demo.Pilot)
	b.get("/mooring-log", "Nothing was logged today.")
	b.get("/mooring-log/lines", "Lines in use")
	b.post("/log", url.Values{"path": {"log"}}, "You may not log in log: You may not do this. Ask for access, or ask whoever looks after the application. (no_grant)")

	w.step(1, "Nobody holds Jetty linesman")
	w.step(1, "storse, which is nothing registered in Works orders")
	w.done()
}
