package ledger_test

import (
	"errors"
	"fmt"
	"sync"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/ledger"
	"ableroster/internal/operation/roles"
	"ableroster/testkit"
)

// many is a change large enough to be written while it is judged.
func many(prefix string, n int) (ops []change.Operation) {
	for i := range n {
		name := fmt.Sprintf("%s.%d", prefix, i)
		ops = append(ops, user(name), &roles.Grant{Role: "berths/reader", User: change.UserRef(name)})
	}
	return ops
}

// Of a large change nothing stays that is refused, whenever it is; one that another
// program was faster than is judged anew and is whole; and sent twice it is once.
func TestALargeChangeIsWrittenWhileItIsJudged(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	a, pool := testkit.Ledger(t, database)
	founded(t, a)
	b, _ := testkit.Ledger(t, database)
	held := pool.Stat().AcquiredConns()
	operations := func(revision int64) (n int) {
		t.Helper()
		if err := pool.QueryRow(ctx, "select count(*) from operation where revision = $1 or revision = (select -staged from revision where revision = $1)", revision).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	changeOf := func(key string, ops []change.Operation) *ledger.Change {
		return &ledger.Change{Author: 1, Via: "test", Reason: "many", Operations: ops, Key: key, Request: []byte(key)}
	}
	head := a.Head().Revision
	first := head

	// Refused by its judge, and for a fault in its last operation.
	no := errors.New("no")
	if _, err := a.Commit(ctx, changeOf("", many("refused", 3000)), func(*change.Draft, calendar.Instant) error { return no }); !errors.Is(err, no) {
		t.Fatal(err)
	}
	if _, err := a.Commit(ctx, changeOf("", append(many("wrong", 3000), &roles.Grant{Role: "berths/nothing", User: "wrong.1"})), noFaults); err == nil {
		t.Fatal("a change with a fault is taken")
	}
	if n := operations(head + 1); n != 0 || a.Head().Revision != head {
		t.Fatalf("%d operations of what was refused are there", n)
	}

	// Another program commits all the while: each large change is whole, and follows
	// what it was judged on.
	stop, stopped := make(chan struct{}), make(chan int)
	go func() {
		n := 0
		for ; ; n++ {
			select {
			case <-stop:
				stopped <- n
				return
			default:
				commit(t, b, user(fmt.Sprintf("between.%d", n)))
			}
		}
	}()
	revisions := make([]int64, 4)
	var wait sync.WaitGroup
	for i := range revisions { // and others of its own
		wait.Go(func() {
			done, err := a.Commit(ctx, changeOf(fmt.Sprint("k", i), many(fmt.Sprint("first", i), 3000)), noFaults)
			if err != nil {
				t.Error(err)
			}
			revisions[i] = done.Revision
			commit(t, a, user(fmt.Sprintf("after.%d", i)))
		})
	}
	wait.Wait()
	close(stop)
	others := <-stopped
	for _, n := range revisions {
		if got := operations(n); got != 6000 {
			t.Errorf("revision %d has %d operations of 6000", n, got)
		}
	}
	testkit.Until(t, "it to have followed", func() bool { return a.Head().Revision == b.Head().Revision })
	head = a.Head().Revision
	if want := first + int64(others) + 8; others == 0 || head != want {
		t.Errorf("the head is %d after %d of the other program, want %d", head, others, want)
	}

	// With nobody in between it is judged once; the same again is nothing new.
	judged := 0
	count := func(d *change.Draft, at calendar.Instant) error { judged++; return noFaults(d, at) }
	next, err := a.Commit(ctx, changeOf("fresh", many("second", 3000)), count)
	if err != nil || next.Revision != head+1 || judged != 1 || operations(head+1) != 6000 {
		t.Fatalf("head %d, %+v unchanged %v, judged %d times, %d operations (%v)", head, next.Revision, next.Unchanged, judged, operations(head+1), err)
	}
	again, err := a.Commit(ctx, changeOf("fresh", many("second", 3000)), count)
	if err != nil || !again.Repeated || again.Revision != next.Revision || operations(head+2) != 0 {
		t.Errorf("sent twice: %+v (%v)", again, err)
	}
	testkit.Until(t, "the other program to follow", func() bool { return b.Head().Revision == head+1 })
	testkit.Until(t, "the connections to be given back", func() bool { return pool.Stat().AcquiredConns() == held })
	verified(t, a)
	verified(t, b)
}
