package ledger_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"sync"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/prepared"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5/pgxpool"
)

// large is a change that is judged beside the others.
func large(prefix string, n int) *ledger.Change {
	return &ledger.Change{Author: 1, Via: "test", Reason: "large", Operations: many(prefix, n)}
}

func left(t *testing.T, pool *pgxpool.Pool) (n int) {
	t.Helper()
	err := pool.QueryRow(ctx, `select (select count(*) from staging) + (select count(*) from operation o where revision < 0 and not exists (select from revision where staged = -o.revision))
		+ (select count(*) from personal p where staged is not null and not exists (select from revision r where r.staged = p.staged))`).Scan(&n)
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// equal holds two snapshots to hold the same facts.
func equal(t *testing.T, what string, a, b *access.Snapshot) {
	t.Helper()
	if a.Revision != b.Revision || a.At != b.At || a.ActiveUsers != b.ActiveUsers {
		t.Fatalf("%s: revision %d at %v, and %d at %v", what, a.Revision, a.At, b.Revision, b.At)
	}
	for _, kind := range fact.FactKinds {
		for row := range max(a.Next().Free(kind), b.Next().Free(kind)) {
			if x, y := a.Fact(kind, row), b.Fact(kind, row); !reflect.DeepEqual(x, y) {
				t.Fatalf("%s: %s %d is %+v and %+v", what, kind, row, x, y)
			}
		}
	}
}

// While a large change is judged others commit, here and elsewhere; it is published upon what
// they made, and every program, one that starts too, has the same facts, on past days as well.
func TestALargeChangeKeepsNobodyWaiting(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	a, pool := testkit.Ledger(t, database)
	founded(t, a)
	b, _ := testkit.Ledger(t, database)
	commit(t, a, user("early"))
	judging, goOn := make(chan struct{}), make(chan struct{})
	once := sync.Once{}
	c := large("crew", 800)
	c.Operations = append(c.Operations, &people.UpdateUser{User: "early", DisplayName: new(string)})
	*c.Operations[len(c.Operations)-1].(*people.UpdateUser).DisplayName = "Early Bird"
	quay := "quay" // places that are new with it, as files bring them
	c.Operations = append(c.Operations, &people.AddUnit{Path: quay}, &people.SetEmploymentType{Key: "deckhand"},
		&people.UpdateUser{User: "crew.7", UserEdits: fact.UserEdits{Unit: &quay, Employment: new("deckhand")}})
	var made ledger.Committed
	var err error
	done := make(chan struct{})
	go func() {
		defer close(done)
		made, err = a.Commit(ctx, c, func(d *change.Draft, at calendar.Instant) error {
			once.Do(func() { close(judging); <-goOn })
			return noFaults(d, at)
		})
	}()
	<-judging
	var between []int64
	for i := range 5 { // nobody waits for the judge
		between = append(between, commit(t, a, user(fmt.Sprint("here.", i))).Revision, commit(t, b, user(fmt.Sprint("there.", i))).Revision)
	}
	// One whom the change is about gets something meanwhile: only they are looked at again.
	commit(t, b, &roles.Grant{Role: "berths/reader", User: "early"})
	again := 0
	c.Rejudge = func(d *change.Draft, after *access.Snapshot, _ calendar.Instant) error {
		again++
		if n := len(d.Changes()); n != 3 || after.ActiveUsers != d.ActiveUsers+800 { // with the new places
			t.Errorf("%d facts are judged again, of %d and %d active users", n, d.ActiveUsers, after.ActiveUsers)
		}
		return nil
	}
	close(goOn)
	<-done
	if err != nil || made.Revision != between[len(between)-1]+2 || again != 1 {
		t.Fatalf("%+v, %v, judged again %d times", made.Revision, err, again)
	}
	small := commit(t, b, user("after"), &roles.Grant{Role: "berths/reader", User: "crew.7"})
	if !a.WaitFor(ctx, small.Revision) {
		t.Fatal("it does not follow")
	}
	equal(t, "two programs", a.Head(), b.Head())
	for _, f := range []string{"crew.799", "early", "after"} {
		id, ok := a.Head().FindUser(f)
		if !ok || len(a.Head().Given(fact.Assignee{User: id})) == 0 && f != "after" {
			t.Errorf("%s holds nothing", f)
		}
	}
	started, _ := testkit.Ledger(t, database) // wherever its rows are by now
	equal(t, "one that started", a.Head(), started.Head())
	await(t, "all rows", func() bool {
		var whole bool
		return pool.QueryRow(ctx, "select rows_through = revision and rows_of is null from ledger_head").Scan(&whole) == nil && whole
	})
	for _, n := range []int64{between[0], made.Revision - 1, made.Revision, small.Revision} {
		var now, then *access.Snapshot
		for _, l := range []*ledger.Ledger{a, started} {
			r, err := l.History(ctx, revisions.HistoryFilter{Number: n}, 1)
			if err != nil || len(r) != 1 {
				t.Fatal(r, err)
			}
			then, now = now, nil
			if now, err = l.At(ctx, r[0].At); err != nil {
				t.Fatal(err)
			}
			if n == made.Revision && (len(r[0].Operations) != 1604 || r[0].Operations[0].(*people.AddUser).UserName != "crew.0") {
				t.Errorf("its history has %d operations", len(r[0].Operations))
			}
		}
		equal(t, fmt.Sprint("on the day of revision ", n), then, now)
	}
	if v := verified(t, a); v.Fault != "" || v.Rows != small.Revision {
		t.Errorf("%+v", v)
	}
	if err := started.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	equal(t, "made again", a.Head(), started.Head())
	if n := left(t, pool); n != 0 {
		t.Errorf("%d rows are left beside the ledger", n)
	}
}

// What bears on a large change has it judged again, and it is what it would be had it been
// made last of all.
func TestALargeChangeIsJudgedAgainWhereOthersBearOnIt(t *testing.T) {
	testkit.Long(t)
	for name, x := range map[string]struct {
		others func(round int) change.Operation
		rounds int
	}{
		"its own user": {func(int) change.Operation {
			return &people.UpdateUser{User: "early", Email: text("e@larkhaven.example")}
		}, 2},
		"its new names": {func(int) change.Operation { return user("crew.5") }, 2},
		"a role":        {func(int) change.Operation { return &roles.AddRole{Application: "berths", Key: "planner"} }, 2},
		"always": {func(n int) change.Operation { // each time in the way of another
			return []change.Operation{&roles.AddRole{Application: "berths", Key: "planner"},
				&people.UpdateUser{User: "early", Email: text("e@larkhaven.example")}, &people.UpdateUser{User: "early", Email: text("f@larkhaven.example")}}[n-1]
		}, 4},
	} {
		t.Run(name, func(t *testing.T) {
			database := testkit.Database(t)
			l, pool := testkit.Ledger(t, database)
			founded(t, l)
			commit(t, l, user("early"))
			c := large("crew", 600)
			c.Operations = append(c.Operations, &people.UpdateUser{User: "early", DisplayName: text("Early Bird")})
			judged := 0
			made, err := l.Commit(ctx, c, func(d *change.Draft, at calendar.Instant) error {
				if judged++; judged < x.rounds && len(d.Faults) == 0 {
					commit(t, l, x.others(judged))
				}
				return noFaults(d, at)
			})
			if name == "its new names" {
				if err == nil || judged != 2 {
					t.Errorf("judged %d times: %v", judged, err)
				}
			} else if err != nil || judged != x.rounds || made.Revision != l.Head().Revision {
				t.Errorf("judged %d times: revision %d, %v", judged, made.Revision, err)
			}
			if v := verified(t, l); v.Fault != "" {
				t.Errorf("%+v", v)
			}
			if n := left(t, pool); n != 0 {
				t.Errorf("%d rows are left beside the ledger", n)
			}
		})
	}
}

// In its last round a large change is not in the way of users and what they are given; what it
// is judged by waits for it.
func TestALargeChangeHasTheModelWaitInItsLastRound(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, user("early"))
	judged := 0
	role := make(chan ledger.Committed, 1)
	made, err := l.Commit(ctx, large("crew", 600), func(d *change.Draft, at calendar.Instant) error {
		switch judged++; judged {
		case 1, 2:
			commit(t, l, &roles.AddRole{Application: "berths", Key: fmt.Sprint("planner-", judged)})
		case 3:
			go func() { role <- commit(t, l, &roles.AddRole{Application: "berths", Key: "late"}) }()
			commit(t, l, user("meanwhile"))
		}
		return noFaults(d, at)
	})
	if err != nil || judged != 3 {
		t.Fatalf("judged %d times: %v", judged, err)
	}
	if late := <-role; late.Revision <= made.Revision {
		t.Errorf("the role is of revision %d, and the large change of %d", late.Revision, made.Revision)
	}
	if v := verified(t, l); v.Fault != "" {
		t.Errorf("%+v", v)
	}
}

func text(s string) *string { return &s }

// Of a large change that is given up nothing stays: by its caller at any phase, by its judge,
// by what looks at it once more, or by a program that ended.
func TestALargeChangeThatIsGivenUpLeavesNothing(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	l, pool := testkit.Ledger(t, database)
	founded(t, l)
	head := l.Head().Revision
	no := errors.New("no")
	hold := func(lock string) (let func()) {
		conn, err := pool.Acquire(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := conn.Exec(ctx, "select "+lock); err != nil {
			t.Fatal(err)
		}
		return func() {
			_, _ = conn.Exec(ctx, "select pg_advisory_unlock_all()")
			conn.Release()
		}
	}
	for phase, meanwhile := range map[ledger.Phase]string{
		ledger.Judging:    "",
		ledger.Waiting:    "pg_advisory_lock(x'41524c'::int, 1)", // another program makes one
		ledger.Writing:    "",
		ledger.Preparing:  "pg_advisory_lock_shared(x'41524c'::int, 3)", // another program has not prepared it
		ledger.Publishing: "",
	} {
		c := large("crew", 1500)
		c.Watch = func(p ledger.Phase, _, _ int) error {
			if p == phase {
				return no
			}
			return nil
		}
		let := func() {}
		if meanwhile != "" {
			let = hold(meanwhile)
		}
		if _, err := l.Commit(ctx, c, noFaults); !errors.Is(err, no) {
			t.Errorf("%s: %v", phase, err)
		}
		let()
		if n := left(t, pool); n != 0 || l.Head().Revision != head {
			t.Errorf("%s: %d rows are left, at revision %d", phase, n, l.Head().Revision)
		}
	}
	gone, leave := context.WithCancel(ctx)
	if _, err := l.Commit(gone, large("x", 1500), func(*change.Draft, calendar.Instant) error { leave(); return nil }); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	c := large("y", 1500)
	c.Rejudge = func(*change.Draft, *access.Snapshot, calendar.Instant) error { return no }
	if _, err := l.Commit(ctx, c, noFaults); !errors.Is(err, no) {
		t.Error(err)
	}
	if n := left(t, pool); n != 0 {
		t.Errorf("%d rows are left", n)
	}
	// A program that ended before it published.
	if _, err := pool.Exec(ctx, `with s as (insert into staging (author, operations) values (1, 1), (1, 1) returning id)
		insert into operation (revision, position, verb, body, subjects) select -id, 0, 'add_user', '{}', '{}' from s;
		delete from staging where id in (select min(id) from staging);
		insert into personal (digest, user_id, staged) values ('\x00', 1, 4711)`); err != nil {
		t.Fatal(err)
	}
	if _, err := l.Commit(ctx, large("z", 1500), noFaults); err != nil {
		t.Fatal(err)
	}
	if n := left(t, pool); n != 0 {
		t.Errorf("%d rows are left", n)
	}
	if v := verified(t, l); v.Fault != "" {
		t.Errorf("%+v", v)
	}
}

// A program that ends while the rows of a large change are written leaves them to another,
// and what was answered stays so meanwhile.
func TestRowsThatAreMissingAreWrittenByAnother(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	a, pool := testkit.Ledger(t, database)
	founded(t, a)
	made, err := a.Commit(ctx, large("crew", 3000), noFaults)
	if err != nil {
		t.Fatal(err)
	}
	whole := func() bool {
		var so bool
		return pool.QueryRow(ctx, "select rows_through = revision and rows_of is null from ledger_head").Scan(&so) == nil && so
	}
	await(t, "all rows", whole)
	commit(t, a, user("last"))
	want := a.Head()
	a.Close()
	// As if it had been killed half way: some rows are there, some are not.
	for _, sql := range []string{
		fmt.Sprintf("update ledger_head set rows_through = %d, rows_of = %d", made.Revision-1, made.Revision),
		fmt.Sprintf("delete from assignment_fact where opened = %d and id %% 2 = 0", made.Revision),
		fmt.Sprintf("delete from user_fact where opened > %d", made.Revision),
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	b, _ := testkit.Ledger(t, database)
	equal(t, "one that starts meanwhile", want, b.Head())
	id, _ := b.Head().FindUser("crew.8")
	if eras, err := b.RoleHistory(ctx, id); err != nil || len(eras) == 0 {
		t.Errorf("%d eras of somebody's roles: %v", len(eras), err)
	}
	await(t, "all rows", whole)
	c, _ := testkit.Ledger(t, database)
	equal(t, "one that starts afterwards", want, c.Head())
	if v := verified(t, c); v.Fault != "" || v.Rows != want.Revision {
		t.Errorf("%+v", v)
	}
}

// Between the rows of a large change and those of what followed it the ledger verifies, as far
// as they reach; that they are said to reach less far than they do is told.
func TestRowsThatAreYetToFollowAreNoFault(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	a, pool := testkit.Ledger(t, database)
	founded(t, a)
	made, err := a.Commit(ctx, large("crew", 3000), noFaults)
	if err != nil {
		t.Fatal(err)
	}
	await(t, "all rows", func() bool {
		var so bool
		return pool.QueryRow(ctx, "select rows_through = revision and rows_of is null from ledger_head").Scan(&so) == nil && so
	})
	last := commit(t, a, user("last")).Revision
	a.Close()
	for _, x := range []struct {
		sql   string
		fault string
	}{
		{fmt.Sprintf("update ledger_head set rows_through = %d", made.Revision), "they are said to reach revision"},
		{fmt.Sprintf("delete from user_fact where opened = %d", last), ""},
	} {
		if _, err := pool.Exec(ctx, x.sql); err != nil {
			t.Fatal(err)
		}
		b, _ := testkit.Ledger(t, database) // which writes them, when nobody else does for seconds
		v, err := b.Verify(ctx, nil)
		if err != nil || x.fault == "" && (v.Fault != "" || v.Rows != made.Revision) || !strings.Contains(v.Fault, x.fault) {
			t.Errorf("%s: %+v %v", x.sql, v, err)
		}
		b.Close()
	}
}

// A panic in a large change refuses that one; its turn goes to the next.
func TestAPanicInALargeChangeIsItsOwn(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	for name, alter := range map[string]func(*ledger.Change) ledger.Judge{
		"an operation": func(c *ledger.Change) ledger.Judge {
			c.Operations[999] = &bomb{}
			return noFaults
		},
		"its judge": func(*ledger.Change) ledger.Judge {
			return func(*change.Draft, calendar.Instant) error { panic("the judge") }
		},
		"what looks once more": func(c *ledger.Change) ledger.Judge {
			c.Rejudge = func(*change.Draft, *access.Snapshot, calendar.Instant) error { panic("again") }
			return noFaults
		},
	} {
		c := large("crew", 1000)
		judge := alter(c)
		if _, err := l.Commit(ctx, c, judge); err == nil || !strings.Contains(err.Error(), "panic") {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := l.Commit(ctx, large("crew", 1000), noFaults); err != nil {
		t.Fatal(err)
	}
	if n := left(t, pool); n != 0 {
		t.Errorf("%d rows are left", n)
	}
	if v := verified(t, l); v.Fault != "" {
		t.Errorf("%+v", v)
	}
}

// What a program that ended left beside the ledger, personal values among it, is deleted soon
// after another one starts.
func TestWhatWasLeftBesideTheLedgerGoes(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	l, pool := testkit.Ledger(t, database)
	founded(t, l)
	l.Close()
	if _, err := pool.Exec(ctx, "insert into personal (digest, user_id, staged, text) values (sha256('x'), 1, 4711, '{}')"); err != nil {
		t.Fatal(err)
	}
	testkit.Ledger(t, database)
	await(t, "it is gone", func() bool { return left(t, pool) == 0 })
}

// What looks at a large change once more may have it judged again: the rights of its author
// came to an end meanwhile.
func TestALargeChangeIsJudgedAgainWhenItsAuthorsRightsEnd(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	no := errors.New("they may not any more")
	judged, looked := 0, 0
	c := large("crew", 1000)
	c.Rejudge = func(*change.Draft, *access.Snapshot, calendar.Instant) error {
		looked++
		return prepared.ErrModel
	}
	_, err := l.Commit(ctx, c, func(*change.Draft, calendar.Instant) error {
		if judged++; judged > 1 {
			return no
		}
		return nil
	})
	if !errors.Is(err, no) || judged != 2 || looked != 1 {
		t.Errorf("judged %d times, looked at %d times: %v", judged, looked, err)
	}
	if n := left(t, pool); n != 0 {
		t.Errorf("%d rows are left", n)
	}
}
