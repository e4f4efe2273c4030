package ledger_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/migrations"
	"ableroster/testkit"
)

// ended waits until a program notices that the ledger is not the one it answered from.
func ended(t *testing.T, l *ledger.Ledger, why string) {
	t.Helper()
	select {
	case <-l.Ended():
	case <-time.After(time.Minute):
		t.Fatalf("it goes on answering revision %d", l.Head().Revision)
	}
	if !strings.Contains(l.Lost(), why) && !strings.Contains(l.Lost(), "as another service found") || l.NotReady() != l.Lost() {
		t.Errorf("it says %q, and why it is not ready %q", l.Lost(), l.NotReady())
	}
	if _, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "x", Operations: []change.Operation{user("late")}}, noFaults); !errors.Is(err, database.ErrLost) {
		t.Errorf("it commits: %v", err)
	}
}

// await waits until something is so.
func await(t *testing.T, what string, so func() bool) {
	t.Helper()
	for until := time.Now().Add(time.Minute); !so(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(until) {
			t.Fatalf("in vain: %s", what)
		}
	}
}

// A program that goes on while an older state is restored under it notices that its
// revisions are gone, though others were written since; nobody stays signed in, and what
// is there verifies.
func TestARestoreUnderARunningProgramIsNoticed(t *testing.T) {
	testkit.Long(t)
	for name, since := range map[string]int{"nothing since": 0, "as many since": 3, "more since": 5} {
		t.Run(name, func(t *testing.T) {
			address := testkit.Database(t)
			a, pool := testkit.Ledger(t, address)
			founded(t, a)
			for i := range 2 {
				commit(t, a, user(fmt.Sprint("kept-", i)))
			}
			kept := a.Head().Revision
			for i := range 3 {
				commit(t, a, user(fmt.Sprint("lost-", i)))
			}
			idle, _ := testkit.Ledger(t, address) // follows, and writes nothing
			if _, err := pool.Exec(ctx, "insert into session (digest, user_id, expires_at) values ('\\x00', 1, now() + interval '1 day')"); err != nil {
				t.Fatal(err)
			}
			testkit.Rewind(t, pool, kept)
			fresh, _ := testkit.Ledger(t, address) // begins at what is there
			for i := range since {
				if _, err := fresh.Commit(ctx, &ledger.Change{Via: "test", Reason: "x", Operations: []change.Operation{user(fmt.Sprint("new-", i))}}, noFaults); err != nil && !errors.Is(err, database.ErrLost) {
					t.Fatal(err)
				}
			}
			ended(t, a, "put back to an earlier state")
			select {
			case <-idle.Ended():
			case <-time.After(time.Minute):
				t.Fatal("a follower goes on")
			}
			await(t, "a new epoch", func() bool {
				var epoch, sessions int
				err := pool.QueryRow(ctx, "select (select epoch from ledger_head), (select count(*) from session)").Scan(&epoch, &sessions)
				return err == nil && epoch == 2 && sessions == 0
			})
			again, _ := testkit.Ledger(t, address)
			commit(t, again, user("after"))
			if v := verified(t, again); v.Fault != "" || again.Lost() != "" {
				t.Errorf("%+v %s", v, again.Lost())
			}
		})
	}
}

// Nothing is written onto a revision of the same number that is another one, however
// quickly.
func TestNothingIsWrittenOntoAnotherHistory(t *testing.T) {
	address := testkit.Database(t)
	a, pool := testkit.Ledger(t, address)
	founded(t, a)
	commit(t, a, user("lost"))
	if _, err := pool.Exec(ctx, "update revision set hash = sha256(hash) where revision = (select max(revision) from revision)"); err != nil {
		t.Fatal(err)
	}
	if _, err := pool.Exec(ctx, "update ledger_head h set hash = r.hash from revision r where r.revision = h.revision"); err != nil {
		t.Fatal(err)
	}
	head := a.Head().Revision
	if _, err := a.Commit(ctx, &ledger.Change{Via: "test", Reason: "x", Operations: []change.Operation{user("onto")}}, noFaults); !errors.Is(err, database.ErrLost) {
		t.Fatalf("it was written: %v", err)
	}
	var newest int64
	if err := pool.QueryRow(ctx, "select revision from ledger_head").Scan(&newest); err != nil || newest != head {
		t.Errorf("the head is at %d, was at %d: %v", newest, head, err)
	}
	ended(t, a, "put back to an earlier state")
}

// A program stops beside tables that are newer than it, and starts on none.
func TestAnOlderProgramStopsBesideNewerTables(t *testing.T) {
	address := testkit.Database(t)
	a, pool := testkit.Ledger(t, address)
	founded(t, a)
	if _, err := pool.Exec(ctx, "insert into goose_db_version (version_id, is_applied) values (9999, true)"); err != nil {
		t.Fatal(err)
	}
	ended(t, a, "newer than this program")
	if err := migrations.Migrate(ctx, pool); err == nil || !strings.Contains(err.Error(), "start one that is as new") {
		t.Errorf("it starts: %v", err)
	}
}
