package e2e

import (
	"context"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Whoever watches over a service reads how it stands at an address of its own, and whoever
// runs it changes the level of its log and profiles it while it runs; nobody else does.
func TestAServiceIsWatchedOver(t *testing.T) {
	socket := filepath.Join(t.TempDir(), "control")
	s := testkit.Serve(t, testkit.DemoDatabase(t), "-monitor-listen", "127.0.0.1:0", "-control-socket", socket)
	marta := s.SignIn(t, demo.Administrator)
	q := wire.CheckRequest{User: demo.Administrator, Application: "crane-control", Action: "operate", Path: "cranes/c-01"}
	if _, err := marta.Check(ctx, q); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"add_user","user_name":"watched.over"}`), false); err != nil {
		t.Fatal(err)
	}
	if _, err := (&client.Client{Base: s.Base}).Me(ctx); err == nil {
		t.Fatal("nobody is let in")
	}
	where := regexp.MustCompile(`address=(http://[^ ]*/metrics)`).FindStringSubmatch(s.Output())
	if where == nil {
		t.Fatalf("it does not say where its metrics are: %s", s.Output())
	}
	all := read(t, http.DefaultClient, where[1], 200)
	for _, want := range []string{
		`able_roster_decisions_total{application="crane-control",reason="`,
		`able_roster_request_seconds_count{method="POST",route="/api/v1/changes",status="200"} 1`,
		`able_roster_request_seconds_count{method="GET",route="none",status="401"} 1`,
		`able_roster_sign_ins_total{outcome="in"} `, `able_roster_commit_step_seconds_count{step="judge"} `, `able_roster_commit_step_seconds_count{step="write"} 1`,
		"able_roster_ready 1", "able_roster_behind_revisions 0", "able_roster_queued_changes 0", "able_roster_epoch 1", "able_roster_age_seconds 0", "able_roster_clock_ahead_seconds ",
		`able_roster_database_connections{state="idle"} `, "go_memstats_heap_alloc_bytes ", "process_resident_memory_bytes ",
	} {
		if !strings.Contains(all, want) {
			t.Errorf("the metrics have no %s", want)
		}
	}
	if strings.Contains(all, "watched.over") || strings.Contains(all, demo.Administrator) {
		t.Error("the metrics name somebody")
	}
	read(t, http.DefaultClient, s.Base+"/metrics", 404)

	if info, err := os.Stat(socket); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the socket: %v %v", info.Mode(), err)
	}
	control := &http.Client{Transport: &http.Transport{DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
		return new(net.Dialer).DialContext(ctx, "unix", socket)
	}}}
	set := func(level string, want int) {
		t.Helper()
		req, _ := http.NewRequest("PUT", "http://control/log-level", strings.NewReader(level))
		resp, err := control.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != want {
			t.Errorf("the level %s: %d", level, resp.StatusCode)
		}
	}
	checks := func() int { return strings.Count(s.Output(), "path=/api/v1/check") }
	if checks() != 0 {
		t.Error("checks are in the log already")
	}
	set("debug", 200)
	if _, err := marta.Check(ctx, q); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "a check in the log", func() bool { return checks() == 1 })
	set("loud", 422)
	if level := read(t, control, "http://control/log-level", 200); level != "debug\n" {
		t.Errorf("the level is %q", level)
	}
	if text := read(t, control, "http://control/debug/pprof/goroutine?debug=1", 200); !strings.Contains(text, "goroutine profile: total") {
		t.Errorf("a profile: %.200s", text)
	}
	read(t, http.DefaultClient, s.Base+"/debug/pprof/", 404)
}

// read is what is at an address.
func read(t *testing.T, c *http.Client, address string, want int) string {
	t.Helper()
	resp, err := c.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != want {
		t.Fatalf("%s: %d, want %d: %v", address, resp.StatusCode, want, err)
	}
	return string(raw)
}
