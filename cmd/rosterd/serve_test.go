package main

import (
	"context"
	"io"
	"log/slog"
	"net"
	"os"
	"testing"
	"time"

	"ableroster/internal/metrics"
	"ableroster/testkit"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

// A server whose database went away while it started ends with its ledger: another one answers in
// its place, and nobody is told what no longer follows the database.
func TestAServerThatCannotStartAnswersNothing(t *testing.T) {
	fs, c := serveFlags(io.Discard)
	if err := parse(fs, []string{"-listen", "127.0.0.1:0", "-database-url", testkit.Database(t), "-second-factor", "offered"}, io.Discard); err != nil {
		t.Fatal(err)
	}
	log := slog.New(slog.DiscardHandler)
	o, err := c.openBy(t.Context(), log, time.Time{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := o.pool.Exec(t.Context(), "alter table jobs.river_queue rename to gone"); err != nil {
		t.Fatal(err)
	}
	r := running{c: c, metrics: metrics.New(), log: log, out: io.Discard, began: time.Now()}
	if again, err := r.serve(t.Context(), o); again || err == nil {
		t.Fatalf("it started: %v %v", again, err)
	}
	next, err := takeTurn(r.listener)
	if err != nil {
		t.Fatal(err)
	}
	defer r.listener.Close()
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
