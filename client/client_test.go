package client

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"ableroster/wire"
)

var ctx = context.Background()

// call is what a service was sent.
type call struct {
	method, path, query, body string
	header                    http.Header
}

// answering is a service that answers one thing, and what it was sent.
func answering(t *testing.T, status int, kind, body string) (*Client, *call) {
	t.Helper()
	got := &call{}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		*got = call{r.Method, r.URL.EscapedPath(), r.URL.RawQuery, string(raw), r.Header}
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(status)
		_, _ = io.WriteString(w, body)
	}))
	t.Cleanup(s.Close)
	return &Client{Base: s.URL, Token: "a-token", Agent: "test/1"}, got
}

func TestCallsAreSentAsTheServiceReadsThem(t *testing.T) {
	c, got := answering(t, 200, "application/json", `{}`)
	c.AtLeast = 42
	for name, x := range map[string]struct {
		do                        func() error
		method, path, query, body string
		kind                      string
	}{
		"a name with a slash": {func() error { _, err := c.Role(ctx, "berth-planning/reader", nil); return err }, "GET", "/api/v1/roles/berth-planning%2Freader", "", "", ""},
		"a query": {func() error {
			_, err := c.Users(ctx, Query{"q": "ä b&c", "unit": "", "limit": "5"}.AsOf(time.Date(2026, 3, 1, 1, 0, 0, 0, time.FixedZone("", 3600))))
			return err
		}, "GET", "/api/v1/users", "as_of=2026-03-01T00%3A00%3A00Z&limit=5&q=%C3%A4+b%26c", "", ""},
		"no past day": {func() error { _, err := c.Users(ctx, Query{}.AsOf(time.Time{})); return err }, "GET", "/api/v1/users", "", "", ""},
		"a change": {func() error {
			_, err := c.Change(ctx, wire.ChangeRequest{Reason: "x", Operations: []json.RawMessage{json.RawMessage(`{"op":"y"}`)}}, true)
			return err
		}, "POST", "/api/v1/changes", "dry_run=true", `{"operations":[{"op":"y"}],"reason":"x"}`, "application/json"},
		"a file":        {func() error { return c.Do(ctx, "POST", "/imports/users", nil, []byte("user_name\nx\n"), nil) }, "POST", "/api/v1/imports/users", "", "user_name\nx\n", "text/csv"},
		"a roster file": {func() error { return c.Do(ctx, "POST", "/roster-file", nil, YAML("roster_file: 1\n"), nil) }, "POST", "/api/v1/roster-file", "", "roster_file: 1\n", "application/yaml"},
	} {
		if err := x.do(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if got.method != x.method || got.path != x.path || got.query != x.query || got.body != x.body || got.header.Get("Content-Type") != x.kind {
			t.Errorf("%s: %+v", name, got)
		}
		if got.header.Get("Authorization") != "Bearer a-token" || got.header.Get("User-Agent") != "test/1" || got.header.Get("Roster-At-Least") != "42" {
			t.Errorf("%s: %v", name, got.header)
		}
	}
	if err := c.DoKeyed(ctx, "once", "POST", "/changes", nil, struct{}{}, nil); err != nil || got.header.Get("Idempotency-Key") != "once" {
		t.Error(err, got.header)
	}
	c.Token = ""
	if err := c.Do(ctx, "GET", "/me", nil, nil, nil); err != nil || got.header.Get("Authorization") != "" {
		t.Error(err, got.header)
	}
}

// What is not done comes back as a problem, whatever stands between; and a service
// that is not reached is told apart from one that refuses.
func TestWhatGoesWrongIsToldApart(t *testing.T) {
	c, _ := answering(t, 422, "application/problem+json", `{"type":"invalid","status":422,"title":"Not valid","detail":"nothing was done","faults":[{"place":"/reason","message":"is missing"}]}`)
	var p *wire.Problem
	if err := c.Do(ctx, "GET", "/me", nil, nil, nil); !errors.As(err, &p) || p.Type != "invalid" || len(p.Faults) != 1 || err.Error() != "nothing was done" {
		t.Errorf("%v %+v", err, p)
	}
	for _, body := range []string{"<html>Bad gateway</html>", "", `{"error":"no route"}`, `[]`} {
		c, _ := answering(t, 502, "text/html", body)
		if err := c.Do(ctx, "GET", "/me", nil, nil, nil); !errors.As(err, &p) || p.Status != 502 || !strings.Contains(p.Detail, "502") {
			t.Errorf("%q: %v %+v", body, err, p)
		}
	}
	c, _ = answering(t, 200, "application/json", `{"revision": "x"}`)
	if _, err := c.Me(ctx); err == nil || errors.As(err, &p) || errors.Is(err, ErrNotReached) {
		t.Error("an answer that cannot be read:", err)
	}
	c.Base = "http://127.0.0.1:1"
	if err := c.Do(ctx, "GET", "/me", nil, nil, nil); !errors.Is(err, ErrNotReached) {
		t.Error(err)
	}
	gone, cancel := context.WithCancel(ctx)
	cancel()
	c, _ = answering(t, 200, "application/json", `{}`)
	if err := c.Do(gone, "GET", "/me", nil, nil, nil); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	var file []byte
	c, _ = answering(t, 200, "text/csv", "a,b\n")
	if err := c.Do(ctx, "GET", "/users.csv", nil, nil, &file); err != nil || string(file) != "a,b\n" {
		t.Errorf("%q %v", file, err)
	}
}
