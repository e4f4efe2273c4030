package ledger_test

import (
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"ableroster/testkit"
)

// Changes that come while one is being written are judged meanwhile and written together: who
// comes a moment later does not wait for one transaction more.
func TestThoseWhoComeMeanwhileAreWrittenTogether(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, user("before")) // by now the clock is known, and what is judged is judged ahead
	first := l.Head().Revision
	var judged atomic.Int64
	l.Time(func(step string, _ time.Duration) {
		if step == "judge" {
			judged.Add(1)
		}
	})
	held, err := pool.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = held.Rollback(ctx) }()
	if _, err := held.Exec(ctx, "set local idle_in_transaction_session_timeout = 0; select from ledger_head for update"); err != nil {
		t.Fatal(err)
	}
	var all sync.WaitGroup
	const others = 5
	for i := range 1 + others {
		all.Go(func() { commit(t, l, user(fmt.Sprint("meanwhile-", i))) })
		await(t, fmt.Sprintf("change %d is judged while the first waits", i), func() bool { return judged.Load() == int64(i+1) })
		if i == 0 { // it is on its way before the others come
			await(t, "it waits for the head", func() bool {
				var waits bool
				err := pool.QueryRow(ctx, "select exists (select from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock')").Scan(&waits)
				return err == nil && waits
			})
		}
	}
	if err := held.Rollback(ctx); err != nil {
		t.Fatal(err)
	}
	all.Wait()
	var transactions, revisions int
	if err := pool.QueryRow(ctx, "select count(distinct xmin::text), count(*) from revision where revision > $1", first).Scan(&transactions, &revisions); err != nil {
		t.Fatal(err)
	}
	if revisions != 1+others || transactions != 2 {
		t.Errorf("%d revisions were written by %d transactions", revisions, transactions)
	}
	verified(t, l)
}
