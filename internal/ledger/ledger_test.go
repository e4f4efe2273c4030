package ledger_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/ledger/verify"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

// opened is a ledger on a database, closed after the test.
func noFaults(d *change.Draft, _ calendar.Instant) error {
	if len(d.Faults) > 0 {
		return &d.Faults[0]
	}
	return nil
}

func commit(t testing.TB, l *ledger.Ledger, ops ...change.Operation) ledger.Committed {
	t.Helper()
	c, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "because", Operations: ops}, noFaults)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// founded is a ledger with an application, a role in it and one user.
func founded(t testing.TB, l *ledger.Ledger) {
	t.Helper()
	commit(t, l,
		&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "Europe/Lisbon"},
		&people.AddUser{Personal: fact.Personal{UserName: "marta.quill", DisplayName: "Marta Quill"}},
		&roles.AddApplication{Key: "berths", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}}},
		&roles.AddRole{Key: "reader", Application: "berths"},
		&roles.AddPermission{Role: "berths/reader", Actions: []string{"read"}, Pattern: "/"},
		&roles.AddGroup{Key: "crew"})
}

func user(name string) *people.AddUser {
	return &people.AddUser{Personal: fact.Personal{UserName: name}}
}

func allowed(t testing.TB, s *access.Snapshot, who string) bool {
	t.Helper()
	d, err := s.Check(access.Question{User: who, Application: "berths", Action: "read", Path: "/", At: calendar.At(time.Now())})
	if err != nil {
		t.Fatal(err)
	}
	return d.Allowed
}

func verified(t testing.TB, l *ledger.Ledger) verify.Verification {
	t.Helper()
	v, err := l.Verify(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	if v.First != 0 {
		t.Fatalf("revision %d: %s", v.First, v.Fault)
	}
	return v
}

// Many at once, some refused: revisions without a gap, later each than the one
// before, each answered with its own.
func TestManyCommitAtOnce(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	const writers, each = 24, 8
	var mu sync.Mutex
	var got []int64
	var wait sync.WaitGroup
	for w := range writers {
		wait.Go(func() {
			for i := range each {
				name := fmt.Sprintf("crew.%d.%d", w, i)
				c, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "joins", Operations: []change.Operation{
					user(name), &roles.AddMember{Group: "crew", User: change.UserRef(name)}, &roles.Grant{Role: "berths/reader", User: change.UserRef(name)},
				}}, noFaults)
				if err != nil {
					t.Error(err)
					return
				}
				if _, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "is refused", Operations: []change.Operation{user(name)}}, noFaults); err == nil {
					t.Error("a name was taken twice")
				}
				if !allowed(t, l.Head(), name) {
					t.Errorf("%s may not read after revision %d was answered", name, c.Revision)
				}
				mu.Lock()
				got = append(got, c.Revision)
				mu.Unlock()
			}
		})
	}
	wait.Wait()
	slices.Sort(got)
	for i, n := range got {
		if n != int64(i)+2 {
			t.Fatalf("revision %d stands where %d should", n, i+2)
		}
	}
	var out int
	if err := pool.QueryRow(ctx, `select count(*) from (select at <= lag(at) over (order by revision) as bad from revision) x where bad`).Scan(&out); err != nil || out > 0 {
		t.Errorf("%d revisions are not later than the one before (%v)", out, err)
	}
	if v := verified(t, l); v.Revisions != writers*each+1 {
		t.Errorf("%d revisions verified", v.Revisions)
	}
	again, _ := testkit.Ledger(t, pool.Config().ConnString())
	if again.Head().MemberCount(3) != writers*each {
		t.Errorf("the group has %d members after opening anew", again.Head().MemberCount(3))
	}
}

// Two programs on one database: each sees what the other commits, and a change
// that was tried on an old head lands on the new one with the right ids.
func TestTwoProgramsCommitToOneLedger(t *testing.T) {
	database := testkit.Database(t)
	a, _ := testkit.Ledger(t, database)
	founded(t, a)
	b, _ := testkit.Ledger(t, database)
	var wait sync.WaitGroup
	for p, l := range []*ledger.Ledger{a, b} {
		for w := range 4 {
			wait.Go(func() {
				for i := range 15 {
					name := fmt.Sprintf("program%d.%d.%d", p, w, i)
					if _, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "joins", Operations: []change.Operation{
						user(name), &roles.Grant{Role: "berths/reader", User: change.UserRef(name)},
					}}, noFaults); err != nil {
						t.Error(err)
					}
				}
			})
		}
	}
	wait.Wait()
	testkit.Until(t, "both to be at the last revision", func() bool {
		return a.Head().Revision == 121 && b.Head().Revision == 121
	})
	for _, l := range []*ledger.Ledger{a, b} {
		for u := range l.Head().Users() {
			if held := l.Head().Given(fact.Assignee{User: u.ID}); u.UserName != "marta.quill" && len(held) != 1 {
				t.Errorf("%s was given %d roles, not one", u.UserName, len(held))
			}
		}
		verified(t, l)
	}
}

func TestAChangeMadeTwiceUnderOneKeyIsMadeOnce(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	make := func(key, request string, ops ...change.Operation) (ledger.Committed, error) {
		return l.Commit(ctx, &ledger.Change{Author: 1, Via: "test", Reason: "once", Operations: ops, Key: key, Request: []byte(request)}, noFaults)
	}
	first, err := make("k1", "a", user("new.one"))
	if err != nil {
		t.Fatal(err)
	}
	second, err := make("k1", "a", user("new.one"))
	if err != nil || !second.Repeated || second.Revision != first.Revision {
		t.Errorf("the second time: %+v %v", second, err)
	}
	if _, err := make("k1", "b", user("new.two")); !errors.Is(err, ledger.ErrKeyReused) {
		t.Errorf("the key with another change: %v", err)
	}
	if _, err := make("k2", "b", user("new.two")); err != nil {
		t.Errorf("another key: %v", err)
	}
}

func TestWhatIsSoAlreadyMakesNoRevision(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	first := commit(t, l, &roles.Grant{Role: "berths/reader", User: "marta.quill"})
	again := commit(t, l, &roles.Grant{Role: "berths/reader", User: "marta.quill"})
	if !again.Unchanged || again.Revision != first.Revision || again.Draft.Notes[0].Since != first.Revision {
		t.Errorf("%+v", again)
	}
}

// What had nothing to do does nothing when it is sent again under its key, though
// somebody has taken it back meanwhile: the answer was given.
func TestWhatHadNothingToDoDoesNothingLater(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, &roles.Grant{Role: "berths/reader", User: "marta.quill"})
	send := func(key, request string) (ledger.Committed, error) {
		return l.Commit(ctx, &ledger.Change{Author: 1, Via: "test", Reason: "once", Operations: []change.Operation{&roles.Grant{Role: "berths/reader", User: "marta.quill"}}, Key: key, Request: []byte(request)}, noFaults)
	}
	first, err := send("k", "a")
	if err != nil || !first.Unchanged || first.Repeated {
		t.Fatalf("%+v (%v)", first, err)
	}
	revoked := commit(t, l, &roles.Revoke{Role: "berths/reader", User: "marta.quill"})
	again, err := send("k", "a")
	if err != nil || !again.Unchanged || !again.Repeated || again.Revision != first.Revision || l.Head().Revision != revoked.Revision {
		t.Errorf("%+v at head %d (%v)", again, l.Head().Revision, err)
	}
	if _, err := send("k", "b"); !errors.Is(err, ledger.ErrKeyReused) {
		t.Errorf("the key with another change: %v", err)
	}
	if fresh, err := send("l", "a"); err != nil || fresh.Unchanged || fresh.Revision != revoked.Revision+1 {
		t.Errorf("another key: %+v (%v)", fresh, err)
	}
}

func TestHistoryGoesOnlyIntoAnEmptyLedger(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	past := calendar.At(time.Date(2025, 3, 3, 9, 0, 0, 0, time.UTC))
	history := func() []*ledger.Change {
		return []*ledger.Change{
			{Via: "test", Reason: "first", Claimed: past, Operations: []change.Operation{user("marta.quill")}},
			{AuthorName: "marta.quill", Via: "test", Reason: "second", Claimed: past + 60_000_000, Operations: []change.Operation{user("new.one")}},
		}
	}
	bad := append(history(), &ledger.Change{Via: "test", Reason: "third", Claimed: past + 90_000_000, Operations: []change.Operation{user("new.one")}})
	if err := l.LoadHistory(ctx, bad); err == nil || l.Head().Revision != 0 {
		t.Errorf("a bad third change let the first two in: %v, revision %d", err, l.Head().Revision)
	}
	if err := l.LoadHistory(ctx, history()); err != nil {
		t.Fatal(err)
	}
	revs, err := l.History(ctx, revisions.HistoryFilter{}, 10)
	if err != nil || len(revs) != 2 || !revs[0].Claimed || revs[1].At != past || revs[0].Author != 1 || revs[0].Recorded <= revs[0].At {
		t.Errorf("%+v %v", revs, err)
	}
	if err := l.LoadHistory(ctx, history()); !errors.Is(err, ledger.ErrNotEmpty) {
		t.Errorf("a second history: %v", err)
	}
	c := commit(t, l, user("new.two"))
	if revs, _ := l.History(ctx, revisions.HistoryFilter{Number: c.Revision}, 1); revs[0].Claimed || revs[0].At != revs[0].Recorded {
		t.Errorf("a change made now claims another time: %+v", revs)
	}
	var now time.Time
	if err := pool.QueryRow(ctx, "select clock_timestamp()").Scan(&now); err != nil || c.At > calendar.At(now) || c.At < calendar.At(now.Add(-time.Minute)) {
		t.Errorf("revision %d is of %v, the database's clock says %v", c.Revision, c.At.Time(), now)
	}
	verified(t, l)
}

func TestAClosedLedgerFinishesWhatWaitsAndTakesNoMore(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	var answered sync.Map
	var wait sync.WaitGroup
	for i := range 40 {
		wait.Go(func() {
			name := fmt.Sprint("crew.", i)
			_, err := l.Commit(ctx, &ledger.Change{Via: "test", Reason: "joins", Operations: []change.Operation{user(name)}}, noFaults)
			switch {
			case err == nil:
				answered.Store(name, true)
			case !errors.Is(err, ledger.ErrClosed):
				t.Error(err)
			}
		})
	}
	l.Close()
	wait.Wait()
	again, _ := testkit.Ledger(t, pool.Config().ConnString())
	answered.Range(func(name, _ any) bool {
		if _, ok := again.Head().FindUser(name.(string)); !ok {
			t.Errorf("%s was answered and is not there", name)
		}
		return true
	})
}

// A caller who has gone away before their turn changes nothing.
func TestACallerWhoHasGoneAwayChangesNothing(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := l.Commit(gone, &ledger.Change{Via: "test", Reason: "joins", Operations: []change.Operation{user("new.one")}}, noFaults); !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
	if _, ok := l.Head().FindUser("new.one"); ok {
		t.Error("the change was made")
	}
}

// dump is all rows of all tables of facts as text.
func dump(t testing.TB, pool *pgxpool.Pool) string {
	t.Helper()
	out := ""
	for _, kind := range fact.FactKinds {
		rows, err := pool.Query(ctx, fmt.Sprintf("select x::text from %s_fact x order by id, opened", kind))
		if err != nil {
			t.Fatal(err)
		}
		all, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			t.Fatal(err)
		}
		out += fmt.Sprintln(kind, len(all), all)
	}
	return out
}
