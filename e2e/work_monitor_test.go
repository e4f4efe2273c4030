package e2e

import (
	"context"
	"encoding/hex"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	collectorpb "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
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

// A call is found in the trace that its caller named, with what it asked the database;
// what is recorded is the word of a trusted caller alone, and no span has anybody's values.
func TestCallsAreTraced(t *testing.T) {
	var mu sync.Mutex
	var spans []*tracepb.Span
	collector := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		var in collectorpb.ExportTraceServiceRequest
		if err := proto.Unmarshal(raw, &in); err != nil {
			t.Error(err)
		}
		mu.Lock()
		defer mu.Unlock()
		for _, x := range in.ResourceSpans {
			for _, s := range x.ScopeSpans {
				spans = append(spans, s.Spans...)
			}
		}
	}))
	defer collector.Close()
	database := testkit.DemoDatabase(t)
	t.Setenv("OTEL_EXPORTER_OTLP_ENDPOINT", collector.URL)
	t.Setenv("OTEL_TRACES_SAMPLER_ARG", "0")
	const recorded, not, stranger = "0af7651916cd43dd8448eb211c80319c", "1af7651916cd43dd8448eb211c80319c", "2af7651916cd43dd8448eb211c80319c"
	for trace, args := range map[string][]string{recorded: {"-trusted-proxies", "127.0.0.0/8"}, not: {"-trusted-proxies", "127.0.0.0/8"}, stranger: nil} {
		s := testkit.Serve(t, database, args...)
		marta := s.SignIn(t, demo.Administrator)
		flags := map[bool]string{true: "00", false: "01"}[trace == not]
		for _, x := range []struct{ method, path, body string }{{"GET", "/users/" + demo.Pilot, ""}, {"POST", "/changes", `{"reason":"secret reason","operations":[{"op":"add_user","user_name":"traced.` + trace[:1] + `","display_name":"Somebody Traced"}]}`}} {
			req, _ := http.NewRequest(x.method, s.Base+"/api/v1"+x.path, strings.NewReader(x.body))
			req.Header.Set("traceparent", "00-"+trace+"-b7ad6b7169203331-"+flags)
			req.Header.Set("Authorization", "Bearer "+marta.Token)
			req.Header.Set("Content-Type", "application/json")
			resp, err := http.DefaultClient.Do(req)
			if err != nil || resp.StatusCode != 200 {
				t.Fatalf("%v %v", resp, err)
			}
			resp.Body.Close()
		}
		s.Stop(t) // which sends what is left
	}
	names := map[string]int{}
	for _, s := range spans {
		if hex.EncodeToString(s.TraceId) != recorded {
			t.Errorf("%s is recorded in %x", s.Name, s.TraceId)
		}
		names[s.Name]++
		for _, secret := range []string{"Somebody Traced", "traced.0", "secret reason", demo.Password} {
			if strings.Contains(s.String(), secret) {
				t.Errorf("a span has %s: %s", secret, s)
			}
		}
	}
	sql := 0
	for name, n := range names {
		if strings.Contains(strings.ToLower(name), "select") || strings.HasPrefix(name, "batch") {
			sql += n
		}
	}
	if names["GET /api/v1/users/:user"] != 1 || names["POST /api/v1/changes"] != 1 || names["commit"] != 1 || sql == 0 {
		t.Errorf("the spans are %v", names)
	}
}
