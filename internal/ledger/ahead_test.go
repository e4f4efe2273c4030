package ledger_test

import (
	"bytes"
	"log/slog"
	"strings"
	"sync"
	"testing"

	"ableroster/internal/ledger"
	"ableroster/testkit"
)

// log is what a program says, for several goroutines.
type log struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *log) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *log) says(what string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Contains(l.text.String(), what)
}

// A database clock that was ahead for a while is noticed once it is right again; what is made
// then is found at the time that was answered, in its order.
func TestADatabaseClockThatWasAheadIsNoticed(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	a, pool := testkit.Ledger(t, database)
	founded(t, a)
	last := commit(t, a, user("ahead")).Revision
	a.Close()
	if _, err := pool.Exec(ctx, `with r as (update revision set at = at + interval '1 hour' where revision = $1 returning at)
		update ledger_head set at = r.at from r`, last); err != nil {
		t.Fatal(err)
	}
	var said log
	l, err := ledger.Open(ctx, pool, slog.New(slog.NewTextHandler(&said, nil)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(l.Close)
	await(t, "it is told", func() bool { return said.says("later than the database's clock") })
	var made []ledger.Committed
	for _, name := range []string{"first", "second"} {
		made = append(made, commit(t, l, user(name)))
	}
	for i, m := range made {
		if n, at, err := l.RevisionAt(ctx, m.At); err != nil || n != m.Revision || at != m.At {
			t.Errorf("what was answered with revision %d is found as %d at %v: %v", m.Revision, n, at, err)
		}
		s, err := l.At(ctx, m.At)
		if err != nil {
			t.Fatal(err)
		}
		if _, second := s.FindUser("second"); second != (i == 1) {
			t.Errorf("at revision %d second is there: %v", m.Revision, second)
		}
	}
}
