package ledger_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/roles"
	"ableroster/internal/query"
	"ableroster/testkit"
)

// answers is all that anybody is entitled to by a snapshot, as text.
func answers(s *access.Snapshot) string {
	out := fmt.Sprintln(0, query.Entitlements(s, 0))
	for u := range s.Users() {
		out += fmt.Sprintln(u.UserName, u.Status, query.Entitlements(s, u.ID))
	}
	return out
}

// Every revision of the demo is read as of the instant it was made, and just
// before: the answers are those of the snapshots that replaying gives.
func TestAnyPastInstantIsAnsweredAsItWasThen(t *testing.T) {
	testkit.Long(t)
	l, _ := testkit.Ledger(t, testkit.DemoDatabase(t))
	revs, err := l.History(ctx, revisions.HistoryFilter{}, 100_000)
	if err != nil {
		t.Fatal(err)
	}
	rng := rand.New(rand.NewPCG(5, 6))
	s := access.Empty()
	for n := len(revs) - 1; n >= 0; n-- {
		r := revs[n]
		before := s
		d := change.NewDraft(s)
		d.Author = r.Author
		for i, op := range r.Operations {
			d.Apply(i, op, r.At)
		}
		d.Finish()
		s = d.Seal(r.Revision, r.At)
		if r.Revision > 1 && rng.IntN(60) > 0 {
			continue
		}
		then, err := l.At(ctx, r.At)
		if err != nil || answers(then) != answers(s) {
			t.Fatalf("as of revision %d the answers differ (%v)", r.Revision, err)
		}
		then, err = l.At(ctx, r.At-1)
		switch {
		case r.Revision == 1:
			if !errors.Is(err, database.ErrBeforeFirst) {
				t.Errorf("before the first revision: %v", err)
			}
		case err != nil || then.Revision != r.Revision-1 || answers(then) != answers(before):
			t.Fatalf("just before revision %d the answers differ (%v)", r.Revision, err)
		}
	}
	if s.Revision != l.Head().Revision || answers(s) != answers(l.Head()) {
		t.Error("the head is not what replaying gives")
	}
}

// The slice of one user answers about them as the whole snapshot does.
func TestTheSliceOfOneUserAnswersAsTheWhole(t *testing.T) {
	testkit.Long(t)
	l, _ := testkit.Ledger(t, testkit.DemoDatabase(t))
	head := l.Head()
	rng := rand.New(rand.NewPCG(8, 9))
	first, err := l.History(ctx, revisions.HistoryFilter{Number: 1}, 1)
	if err != nil {
		t.Fatal(err)
	}
	from, to := first[0].At, head.At
	compared := 0
	for range 25 {
		at := from + calendar.Instant(rng.Int64N(int64(to-from)))
		var ids []fact.UserID
		for u := range head.Users() {
			if rng.IntN(20) == 0 {
				ids = append(ids, u.ID)
			}
		}
		slices := map[fact.UserID]*access.Snapshot{}
		for _, id := range ids { // before the whole is in the cache
			if slices[id], err = l.Slice(ctx, at, id); err != nil {
				t.Fatal(err)
			}
		}
		whole, err := l.At(ctx, at)
		if err != nil {
			t.Fatal(err)
		}
		for _, id := range ids {
			s := slices[id]
			if s.Revision != whole.Revision {
				t.Fatalf("the slice is of revision %d, the whole of %d", s.Revision, whole.Revision)
			}
			if whole.User(id) == nil {
				if s.User(id) != nil {
					t.Fatalf("%s is in the slice before they were added", id)
				}
				continue
			}
			compared++
			if !reflect.DeepEqual(s.User(id), whole.User(id)) || !reflect.DeepEqual(query.Entitlements(s, id), query.Entitlements(whole, id)) {
				t.Fatalf("%s at %v: the slice says %v %v", id, at.Time(), s.User(id), query.Entitlements(s, id))
			}
			if a, b := fmt.Sprint(query.Access(s, id, at)), fmt.Sprint(query.Access(whole, id, at)); a != b {
				t.Fatalf("%s at %v: the slice explains\n%s\nthe whole\n%s", id, at.Time(), a, b)
			}
		}
	}
	if compared < 100 {
		t.Errorf("only %d slices were compared", compared)
	}
}

// The life of a user answers about them, in each era, as the whole snapshot did.
func TestALifeAnswersInEachEraAsTheWhole(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.DemoDatabase(t))
	compared := 0
	for _, name := range []string{"ines.halloran", "tomas.brandt", "berth-board"} {
		id, _ := l.Head().FindUser(name)
		eras, err := l.RoleHistory(ctx, id)
		if err != nil || len(eras) < 2 || eras[len(eras)-1].Until != 0 {
			t.Fatalf("%s: %d eras (%v)", name, len(eras), err)
		}
		for i, era := range eras {
			if i > 0 && eras[i-1].Until != era.From {
				t.Fatalf("%s: era %d does not begin where the one before ends", name, i)
			}
			if i%3 != 0 && i != len(eras)-1 {
				continue
			}
			whole, err := l.At(ctx, era.From)
			if err != nil {
				t.Fatal(err)
			}
			if !reflect.DeepEqual(query.Entitlements(era.Snapshot, id), query.Entitlements(whole, id)) {
				t.Fatalf("%s at revision %d: the life says %v, the whole %v", name, era.Revision, query.Entitlements(era.Snapshot, id), query.Entitlements(whole, id))
			}
			compared++
		}
	}
	if compared < 10 {
		t.Errorf("only %d eras were compared", compared)
	}
}

// All rows of facts can be dropped and made again from the operations alone;
// no other table holds present access.
func TestTheRowsAreMadeAgainFromTheOperations(t *testing.T) {
	testkit.Long(t)
	l, pool := testkit.Ledger(t, testkit.DemoDatabase(t))
	rows, now := dump(t, pool), answers(l.Head())
	for _, kind := range fact.FactKinds {
		if _, err := pool.Exec(ctx, fmt.Sprintf("truncate %s_fact", kind)); err != nil {
			t.Fatal(err)
		}
	}
	if empty, _ := testkit.Ledger(t, pool.Config().ConnString()); answers(empty.Head()) == now {
		t.Fatal("something besides the rows of facts holds access")
	}
	if err := l.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	if again := dump(t, pool); again != rows {
		t.Error("the rows are not what they were")
	}
	if answers(l.Head()) != now {
		t.Error("the answers are not what they were")
	}
	verified(t, l)
}

func TestHistoryIsFoundByWhomItSpeaksOf(t *testing.T) {
	l, _ := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, user("ines.halloran"))
	granted := commit(t, l, &roles.Grant{Role: "berths/reader", User: "ines.halloran", Window: calendar.Window{Until: calendar.At(time.Now().Add(time.Hour))}})
	commit(t, l, user("tomas.brandt"))
	commit(t, l, &roles.Grant{Role: "berths/reader", User: "tomas.brandt"})
	revoked := commit(t, l, &roles.Revoke{Role: "berths/reader", User: "ines.halloran"})
	id, _ := l.Head().FindUser("ines.halloran")
	revs, err := l.History(ctx, revisions.HistoryFilter{Subject: []string{id.String()}}, 10)
	if err != nil || len(revs) != 3 || revs[0].Revision != revoked.Revision || revs[1].Revision != granted.Revision {
		t.Errorf("%d revisions speak of her: %v", len(revs), err)
	}
	revs, err = l.History(ctx, revisions.HistoryFilter{Before: revoked.Revision, AtMost: revoked.Revision}, 2)
	if err != nil || len(revs) != 2 || revs[0].Revision != revoked.Revision-1 {
		t.Errorf("the page before: %v %v", revs, err)
	}
	if revs[0].Reason != "because" || len(revs[0].Operations) != 1 || revs[0].Operations[0].Verb() != "grant" {
		t.Errorf("%+v", revs[0])
	}
}
