package ledger_test

import (
	"context"
	"fmt"
	"strconv"
	"testing"
	"time"

	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
)

// Where nobody else follows, nobody is told of what is committed; whoever comes is told at once,
// and misses nothing that was committed as they came.
func TestNobodyIsToldWhereNobodyFollows(t *testing.T) {
	database := testkit.Database(t)
	l, _ := testkit.Ledger(t, database)
	founded(t, l)
	listens, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer listens.Close(ctx)
	if _, err := listens.Exec(ctx, "listen able_roster_ledger"); err != nil {
		t.Fatal(err)
	}
	n := 0
	// told says whether a commit was told of.
	told := func() bool {
		t.Helper()
		n++
		commit(t, l, user(fmt.Sprint("told-", n)))
		if _, err := listens.Exec(ctx, "select pg_notify('able_roster_ledger', 'the end')"); err != nil {
			t.Fatal(err)
		}
		for found := false; ; {
			wait, cancel := context.WithTimeout(ctx, 30*time.Second)
			x, err := listens.WaitForNotification(wait)
			cancel()
			if err != nil {
				t.Fatal(err)
			}
			if x.Payload == "the end" {
				return found
			}
			if revision, err := strconv.ParseInt(x.Payload, 10, 64); err == nil && revision == l.Head().Revision {
				found = true
			}
		}
	}
	await(t, "it knows that it is alone", func() bool { return !told() })
	for range 5 {
		other, _ := testkit.Ledger(t, database)
		commit(t, l, user(fmt.Sprint("as-they-come-", other.Head().Revision)))
		if known, cancel := context.WithTimeout(ctx, 30*time.Second); !other.WaitFor(known, l.Head().Revision) {
			cancel()
			t.Fatal("it does not know what was committed as it came")
		} else {
			cancel()
		}
		await(t, "it is told", told)
		other.Close()
		await(t, "it knows that it is alone again", func() bool { return !told() })
	}
	verified(t, l)
}
