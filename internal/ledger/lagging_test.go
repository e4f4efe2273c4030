package ledger_test

import (
	"fmt"
	"reflect"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/testkit"
)

// asked is what a program answers of some users, from the first day to the newest.
type asked struct {
	Spans     map[string][]query.RoleSpan
	Revisions map[string][]int64
	Then      map[string]string
}

func ask(t *testing.T, l *ledger.Ledger, users []string, instants []calendar.Instant) asked {
	t.Helper()
	out := asked{map[string][]query.RoleSpan{}, map[string][]int64{}, map[string]string{}}
	for _, name := range users {
		id, ok := l.Head().FindUser(name)
		if !ok {
			t.Fatalf("no %s", name)
		}
		eras, err := l.RoleHistory(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		out.Spans[name] = query.RoleSpans(eras, id)
		revs, err := l.History(ctx, revisions.HistoryFilter{Subject: []string{id.String()}}, 100)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range revs {
			out.Revisions[name] = append(out.Revisions[name], r.Revision)
		}
		for _, at := range instants {
			slice, err := l.Slice(ctx, at, id)
			if err != nil {
				t.Fatal(err)
			}
			whole, err := l.At(ctx, at)
			if err != nil {
				t.Fatal(err)
			}
			for _, s := range []*access.Snapshot{slice, whole} {
				q := access.Question{User: id.String(), Application: "berths", Action: "read", Path: "/", At: at}
				d, err := s.Check(q)
				text := fmt.Sprintf("%v (%v)", d.Allowed, err != nil)
				key := fmt.Sprintf("%s at %d", name, at)
				if was, there := out.Then[key]; there && was != text {
					t.Errorf("%s: the slice says %s, the whole %s", key, was, text)
				}
				out.Then[key] = text
			}
		}
	}
	return out
}

// While the rows of a large change, and of all that came after it, are missing, what is asked
// of past days and over time is answered as it is once they are there: by the program that
// made the change, by one that followed it, and by one that started in between.
func TestWhatHasNoRowsYetIsAnsweredAllTheSame(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	a, pool := testkit.Ledger(t, database)
	founded(t, a)
	b, _ := testkit.Ledger(t, database)
	commit(t, a, user("early"), &roles.Grant{Role: "berths/reader", User: "early"})
	holds, err := pool.Acquire(ctx) // as a program that writes rows, and is slow
	if err != nil {
		t.Fatal(err)
	}
	defer holds.Release()
	if _, err := holds.Exec(ctx, "select pg_advisory_lock(x'41524c'::int, 2)"); err != nil {
		t.Fatal(err)
	}
	var instants []calendar.Instant
	made, err := a.Commit(ctx, large("crew", 600), noFaults)
	if err != nil {
		t.Fatal(err)
	}
	instants = append(instants, made.At-1, made.At)
	title := "Deckhand"
	retired := true
	for i, ops := range [][]change.Operation{
		{&roles.Revoke{Role: "berths/reader", User: "crew.7"}},
		{&roles.AddGroup{Key: "hands", Filter: `title eq "Deckhand"`}, &roles.Grant{Role: "berths/reader", Group: "hands"}},
		{&people.UpdateUser{User: "crew.7", UserEdits: fact.UserEdits{Title: &title}}},
		{&rules.AddDefault{Key: "all", Everybody: true, Groups: []change.GroupRef{"crew"}}},
		{&roles.Revoke{Role: "berths/reader", User: "early"}},
		{user("late")},
		{&roles.UpdateRole{Role: "berths/reader", Retired: &retired}},
		{&roles.AddRole{Application: "berths", Key: "other"}, &roles.Grant{Role: "berths/other", User: "crew.9"}},
	} {
		l := []*ledger.Ledger{a, b}[i%2]
		done := commit(t, l, ops...)
		instants = append(instants, done.At)
		if !a.WaitFor(ctx, done.Revision) || !b.WaitFor(ctx, done.Revision) {
			t.Fatal("they do not follow")
		}
	}
	c, _ := testkit.Ledger(t, database)
	var through int64
	if err := pool.QueryRow(ctx, "select rows_through from ledger_head").Scan(&through); err != nil || through != made.Revision-1 {
		t.Fatalf("the rows reach %d: %v", through, err)
	}
	users := []string{"early", "crew.7", "crew.9", "crew.500", "late"}
	var before []asked
	for _, l := range []*ledger.Ledger{a, b, c} {
		before = append(before, ask(t, l, users, instants))
	}
	if _, err := holds.Exec(ctx, "select pg_advisory_unlock_all()"); err != nil {
		t.Fatal(err)
	}
	await(t, "all rows", func() bool {
		var whole bool
		return pool.QueryRow(ctx, "select rows_through = revision and rows_of is null from ledger_head").Scan(&whole) == nil && whole
	})
	fresh, _ := testkit.Ledger(t, database)
	after := ask(t, fresh, users, instants)
	for i, was := range before {
		if !reflect.DeepEqual(was.Then, after.Then) {
			t.Errorf("program %d said %v, and it is %v", i, was.Then, after.Then)
		}
		for _, name := range users {
			if !reflect.DeepEqual(was.Spans[name], after.Spans[name]) {
				t.Errorf("program %d, the roles of %s:\n%+v, and they were\n%+v", i, name, was.Spans[name], after.Spans[name])
			}
			if !reflect.DeepEqual(was.Revisions[name], after.Revisions[name]) {
				t.Errorf("program %d, the history of %s: %v, and it is %v", i, name, was.Revisions[name], after.Revisions[name])
			}
		}
	}
	if v := verified(t, fresh); v.Fault != "" {
		t.Errorf("%+v", v)
	}
}
