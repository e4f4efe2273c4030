package ledger_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/ledger"
	"ableroster/internal/operation/roles"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
)

// bomb is an operation that panics where it is applied.
type bomb struct{}

func (*bomb) Verb() string                                   { return "bomb" }
func (*bomb) ApplyTo(*change.Draft) change.Operation         { panic("the bomb") }
func (*bomb) Sentence(*access.Snapshot, change.Names) string { return "" }

// A panic, in an operation, in what judges or in what watches, is one change refused: those
// committed at the same moment stand, and the next is committed.
func TestAPanicIsOneRefusedChange(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	panics := func(*change.Draft, calendar.Instant) error { panic("the judge") }
	before := l.Head().Revision
	var hands sync.WaitGroup
	for i := range 10 {
		hands.Go(func() {
			c := &ledger.Change{Via: "test", Reason: "x", Operations: []change.Operation{user(fmt.Sprint("u", i))}}
			judge, broken := noFaults, true
			switch i {
			case 2:
				c.Operations = append(c.Operations, &bomb{})
			case 4:
				judge = panics
			case 6:
				c.Watch = func(ledger.Phase, int, int) error { panic("the watcher") }
			case 8:
				c.Prepare = func(*change.Draft, calendar.Instant) { panic("the preparer") }
			default:
				broken = false
			}
			if _, err := l.Commit(ctx, c, judge); (err != nil) != broken || broken && !strings.Contains(err.Error(), "panic") {
				t.Errorf("%d: %v", i, err)
			}
		})
	}
	hands.Wait()
	if n := l.Head().Revision - before; n != 6 {
		t.Errorf("%d of 6 were committed", n)
	}
	for i := range 10 {
		if _, there := l.Head().FindUser(fmt.Sprint("u", i)); there != (i%2 == 1 || i == 0) {
			t.Errorf("u%d: %v", i, there)
		}
	}
	commit(t, l, user("after"))
	if v := verified(t, l); v.Fault != "" {
		t.Errorf("%+v", v)
	}
}

// Nobody waits for long for a host that was lost while it held the head.
func TestAHostThatIsLostWithTheHeadIsNotWaitedFor(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	l, _ := testkit.Ledger(t, database)
	founded(t, l)
	line, silence := testkit.SilentLine(t, database)
	held, err := testkit.Pool(t, line).Acquire(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer held.Hijack()
	if _, err := held.Exec(ctx, "begin; select from ledger_head for update"); err != nil {
		t.Fatal(err)
	}
	silence()
	began := time.Now()
	commit(t, l, user("waits"))
	t.Logf("committed after %.1f s", time.Since(began).Seconds())
}

// A program whose line to the database breaks without a word hears of what others commit
// all the same.
func TestWhatIsCommittedDuringASilentBreakIsHeardOf(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	l, _ := testkit.Ledger(t, database)
	founded(t, l)
	line, silence := testkit.SilentLine(t, database)
	other, _ := testkit.Ledger(t, line)
	silence()
	commit(t, l, user("unheard"))
	testkit.Until(t, "the other program to hear of it", func() bool { return other.Head().Revision == l.Head().Revision })
}

// When the database drops every connection again and again while large changes are
// written, each change is committed whole or refused, and nothing else ends.
func TestLostConnectionsEndNothingElse(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	l, _ := testkit.Ledger(t, database)
	founded(t, l)
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	done := make(chan struct{})
	var lost, kept int
	go func() {
		defer close(done)
		for round := range 30 {
			var ops []change.Operation
			for i := range 300 {
				ops = append(ops, user(fmt.Sprintf("r%d-u%d-x", round, i)))
			}
			if _, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "x", Operations: ops}, noFaults); err != nil {
				lost++
			} else {
				kept++
			}
		}
	}()
	for going := true; going; {
		select {
		case <-done:
			going = false
		default:
			if _, err := conn.Exec(ctx, "select pg_terminate_backend(pid), pg_sleep(0.02 * random()) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"); err != nil {
				t.Fatal(err)
			}
		}
	}
	t.Logf("%d committed, %d refused", kept, lost)
	testkit.Until(t, "a commit goes through again", func() bool { // the last connections may only now be dropped
		_, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "after", Operations: []change.Operation{user("after")}}, noFaults)
		return err == nil
	})
	if v := verified(t, l); v.Fault != "" {
		t.Errorf("%+v", v)
	}
	for round := range 30 {
		n := 0
		for i := range 300 {
			if _, ok := l.Head().FindUser(fmt.Sprintf("r%d-u%d-x", round, i)); ok {
				n++
			}
		}
		if n != 0 && n != 300 {
			t.Errorf("round %d left %d of 300 users", round, n)
		}
	}
}

// forgetful is an operation whose stored form lacks what it did.
type forgetful struct {
	Key   string `json:"key"`
	Label string `json:"-"`
}

func init() {
	change.Register(&forgetful{}, "Add a group whose label is lost")
}

func (*forgetful) Verb() string { return "forgetful" }
func (o forgetful) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	roles.AddGroup{Key: o.Key, Label: o.Label}.ApplyTo(d)
	return settled
}
func (*forgetful) Sentence(*access.Snapshot, change.Names) string { return "" }

// What could not be read back as it was judged is not written, alone or in a change so
// large that it is written while it is judged; the next change is committed.
func TestWhatWouldReadBackDifferentlyIsNotWritten(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	before := l.Head().Revision
	for _, n := range []int{1, 6000} {
		ops := []change.Operation{&forgetful{"lost", "A label that is not stored"}}
		for i := 1; i < n; i++ {
			ops = append(ops, &roles.AddGroup{Key: fmt.Sprintf("group-of-many-x%d", i)})
		}
		_, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "x", Operations: ops}, noFaults)
		if err == nil || !strings.Contains(err.Error(), "internal fault") || l.Head().Revision != before {
			t.Errorf("of %d operations: %v, revision %d", n, err, l.Head().Revision)
		}
	}
	if _, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "x", Operations: []change.Operation{&roles.AddGroup{Key: "kept", Label: "Kept"}}}, noFaults); err != nil {
		t.Fatal(err)
	}
	if v, err := l.Verify(ctx, nil); err != nil || v.First != 0 {
		t.Errorf("%+v %v", v, err)
	}
}
