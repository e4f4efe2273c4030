package main

import (
	"bufio"
	"context"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"testing"
	"time"

	"ableroster/internal/metrics"
	"ableroster/testkit"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

// opening is a service on a database that does not serve yet.
func opening(t *testing.T, database string) (*running, *opened) {
	t.Helper()
	fs, c := serveFlags(io.Discard)
	if err := parse(fs, []string{"-listen", "127.0.0.1:0", "-database-url", database, "-second-factor", "offered"}, io.Discard); err != nil {
		t.Fatal(err)
	}
	log := slog.New(slog.DiscardHandler)
	o, err := c.openBy(t.Context(), log, time.Time{})
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", c.listen)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	return &running{c: c, metrics: metrics.New(), log: log, out: io.Discard, began: time.Now(), listener: l.(*net.TCPListener)}, o
}

// A server whose database went away while it started ends with its ledger: another one answers in
// its place, and nobody is told what no longer follows the database.
func TestAServerThatCannotStartAnswersNothing(t *testing.T) {
	testkit.Long(t)
	r, o := opening(t, testkit.Database(t))
	if _, err := o.pool.Exec(t.Context(), "alter table jobs.river_queue rename to gone"); err != nil {
		t.Fatal(err)
	}
	if again, err := r.serve(t.Context(), o); again || err == nil {
		t.Fatalf("it started: %v %v", again, err)
	}
	next, err := takeTurn(r.listener)
	if err != nil {
		t.Fatal(err)
	}
	end, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	go func() {
		<-end.Done()
		next.Close()
	}()
	for range 3 {
		if c, err := net.Dial("tcp", r.listener.Addr().String()); err != nil {
			t.Fatal(err)
		} else {
			defer c.Close()
		}
		if c, err := next.Accept(); err != nil {
			t.Fatalf("whoever connects is not the next server's: %v", err)
		} else {
			c.Close()
		}
	}
}

// Whoever is still connected to a server that ended, in the middle of a call, is sent away to the
// one in its place: on a connection that stays open, too, nobody is kept by it.
func TestWhoeverIsStillConnectedIsSentAway(t *testing.T) {
	testkit.Long(t)
	database := testkit.DemoDatabase(t)
	r, o := opening(t, database)
	ended := make(chan bool, 1)
	go func() {
		again, err := r.serve(t.Context(), o)
		ended <- again && err == nil
	}()
	c, err := net.Dial("tcp", r.listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	answers := bufio.NewReader(c)
	ask := func(text string) *http.Response {
		t.Helper()
		if _, err := io.WriteString(c, text); err != nil {
			t.Fatal(err)
		}
		resp, err := http.ReadResponse(answers, nil)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = io.Copy(io.Discard, resp.Body)
		return resp
	}
	if resp := ask("GET /livez HTTP/1.1\r\nHost: x\r\n\r\n"); resp.StatusCode != 200 || resp.Close {
		t.Fatalf("%+v", resp)
	}
	if _, err := io.WriteString(c, "POST /api/v1/check HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 2\r\n\r\n{"); err != nil {
		t.Fatal(err)
	}
	pool := testkit.Pool(t, database)
	testkit.Rewind(t, pool, o.ledger.Head().Revision-1)
	if !<-ended {
		t.Fatal("it did not end to begin anew")
	}
	if resp := ask("}"); resp.StatusCode != 503 || !resp.Close {
		t.Errorf("%+v", resp)
	}
}
