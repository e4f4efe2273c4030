package saved

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/migrations"
	"ableroster/testkit"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

const ines, tomas = fact.UserID(7), fact.UserID(8)

func store(t *testing.T) *Store {
	t.Helper()
	p := testkit.Pool(t, testkit.Database(t))
	if err := migrations.Migrate(ctx, p); err != nil {
		t.Fatal(err)
	}
	return &Store{p}
}

func keysOf(t *testing.T, s *Store, kind Kind, user fact.UserID) string {
	t.Helper()
	all, err := s.List(ctx, kind, user)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, i := range all {
		out = append(out, fmt.Sprintf("%s:%s", i.Owner, i.Key))
	}
	return strings.Join(out, " ")
}

// What one saves is one's own, under keys of one's own; what is shared anybody
// finds, under a key that is nobody else's.
func TestWhatIsSavedIsOnesOwnOrShared(t *testing.T) {
	testkit.Long(t)
	s := store(t)
	put := func(kind Kind, owner fact.UserID, key, label string, shared bool) error {
		return s.Put(ctx, kind, Item{Owner: owner, Key: key, Label: label, Shared: shared, Body: json.RawMessage(`{"q": "x"}`)}, Seen{})
	}
	for _, x := range []struct {
		owner      fact.UserID
		key, label string
		shared     bool
		want       error
	}{
		{ines, "mine", "b", false, nil}, {tomas, "mine", "x", false, nil}, {ines, "ours", "A", true, nil}, {tomas, "ours", "x", true, ErrTaken},
		{tomas, "ours", "x", false, nil}, {tomas, "theirs", "C", true, nil}, {ines, "mine", "z", false, nil},
	} {
		if err := put(View, x.owner, x.key, x.label, x.shared); !errors.Is(err, x.want) {
			t.Errorf("%+v: %v", x, err)
		}
	}
	if err := put(Mapping, tomas, "ours", "x", true); err != nil {
		t.Errorf("another kind: %v", err)
	}
	// One's own first, by label without case.
	if got := keysOf(t, s, View, ines); got != "user-7:ours user-7:mine user-8:theirs" {
		t.Error(got)
	}
	if got := keysOf(t, s, View, tomas); got != "user-8:theirs user-8:mine user-8:ours user-7:ours" {
		t.Error(got)
	}
	if got := keysOf(t, s, View, 99); got != "user-7:ours user-8:theirs" {
		t.Error(got)
	}
	for _, x := range []struct {
		owner fact.UserID
		key   string
		found bool
	}{{ines, "mine", true}, {ines, "mine", false}, {ines, "theirs", false}, {tomas, "mine", true}} {
		if found, err := s.Delete(ctx, View, x.owner, x.key, Seen{}); err != nil || found != x.found {
			t.Errorf("%+v: %v %v", x, found, err)
		}
	}
	// Of two who share under one key at once, one does.
	var shared atomic.Int32
	var all sync.WaitGroup
	for owner := range fact.UserID(8) {
		all.Go(func() {
			switch err := put(View, owner+1, "raced", "x", true); {
			case err == nil:
				shared.Add(1)
			case !errors.Is(err, ErrTaken):
				t.Error(err)
			}
		})
	}
	all.Wait()
	if shared.Load() != 1 {
		t.Errorf("%d share one key", shared.Load())
	}
}

func TestOneSavesOnlySoMuch(t *testing.T) {
	s := store(t)
	for i := range MostOwned {
		if err := s.Put(ctx, View, Item{Owner: ines, Key: fmt.Sprint("k-", i), Label: "x", Body: json.RawMessage(`{}`)}, Seen{}); err != nil {
			t.Fatal(i, err)
		}
	}
	if err := s.Put(ctx, View, Item{Owner: ines, Key: "one-more", Label: "x", Body: json.RawMessage(`{}`)}, Seen{}); !errors.Is(err, ErrTooMany) {
		t.Error(err)
	}
	if err := s.Put(ctx, View, Item{Owner: ines, Key: "k-7", Label: "y", Body: json.RawMessage(`{}`)}, Seen{}); err != nil {
		t.Error("one that is there cannot be altered:", err)
	}
	for _, other := range []struct {
		kind  Kind
		owner fact.UserID
	}{{Mapping, ines}, {View, tomas}} {
		if err := s.Put(ctx, other.kind, Item{Owner: other.owner, Key: "first", Label: "x", Body: json.RawMessage(`{}`)}, Seen{}); err != nil {
			t.Error(other, err)
		}
	}
}

// A change whose date has come is one service's at a time: meanwhile its author does not
// withdraw it, and nobody else gets it; one that was left is taken again.
func TestADueChangeIsTakenByOne(t *testing.T) {
	s := store(t)
	due := time.Now().Add(-time.Second)
	p := &PendingChange{Author: ines, Lines: json.RawMessage(`[{"operations": []}]`), Said: []string{}, State: PendingDated, Due: &due, Acknowledge: []string{"freeze"}, BasedOn: 7, Mark: []byte{1}}
	if err := s.PutPendingChange(ctx, p); err != nil {
		t.Fatal(err)
	}
	ahead := time.Now().Add(time.Hour)
	later := &PendingChange{Author: ines, Lines: p.Lines, Said: []string{}, State: PendingDated, Due: &ahead}
	if err := s.PutPendingChange(ctx, later); err != nil {
		t.Fatal(err)
	}
	var got atomic.Int32
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			taken, err := s.TakeDue(ctx, 10)
			if err != nil {
				t.Error(err)
			}
			got.Add(int32(len(taken)))
			if len(taken) == 1 && (taken[0].ID != p.ID || taken[0].BasedOn != 7 || len(taken[0].Acknowledge) != 1 || len(taken[0].Mark) != 1) {
				t.Errorf("%+v", taken[0])
			}
		})
	}
	all.Wait()
	if got.Load() != 1 {
		t.Errorf("it was taken %d times", got.Load())
	}
	if ended, err := s.EndPendingChange(ctx, p.ID, PendingWithdrawn, ines, "", 0); err != nil || ended {
		t.Errorf("it is withdrawn while it is made: %v %v", ended, err)
	}
	if err := s.LeaveDue(ctx, p.ID); err != nil {
		t.Fatal(err)
	}
	if taken, err := s.TakeDue(ctx, 10); err != nil || len(taken) != 1 {
		t.Errorf("%v %v", taken, err)
	}
	if ended, err := s.EndPendingChange(ctx, p.ID, PendingMade, ines, "", 9); err != nil || !ended {
		t.Errorf("%v %v", ended, err)
	}
	// What was made is not put before its author again.
	if err := s.ReturnDue(ctx, p.ID, "too late"); err != nil {
		t.Fatal(err)
	}
	if is, err := s.PendingChange(ctx, p.ID); err != nil || is.State != PendingMade || is.Revision != 9 {
		t.Errorf("%+v %v", is, err)
	}
	if ended, err := s.EndPendingChange(ctx, later.ID, PendingWithdrawn, ines, "", 0); err != nil || !ended {
		t.Errorf("one that waits for its date: %v %v", ended, err)
	}
}

// A part that was passed on ends once, whoever ends it how; what it would have done
// is dropped then, and its words a while later.
func TestAPartEndsOnce(t *testing.T) {
	s := store(t)
	pass := func() *PendingChange {
		p := &PendingChange{Author: ines, Receiver: tomas, Reason: "Not mine to give", Lines: json.RawMessage(`[{"operations": []}]`), Said: []string{"Grant it"}}
		if err := s.PutPendingChange(ctx, p); err != nil {
			t.Fatal(err)
		}
		return p
	}
	p := pass()
	if got, err := s.PendingChange(ctx, p.ID); err != nil || got.State != PendingWaiting || got.Lines == nil || got.Said[0] != "Grant it" || got.Created.IsZero() {
		t.Fatalf("%+v (%v)", got, err)
	}
	var ended atomic.Int32
	var all sync.WaitGroup
	for i, state := range []PendingState{PendingMade, PendingRefused, PendingWithdrawn, PendingMade, PendingRefused, PendingWithdrawn} {
		all.Go(func() {
			ok, err := s.EndPendingChange(ctx, p.ID, state, tomas, "", int64(i))
			if err != nil {
				t.Error(err)
			}
			if ok {
				ended.Add(1)
			}
		})
	}
	all.Wait()
	got, err := s.PendingChange(ctx, p.ID)
	if err != nil || ended.Load() != 1 || got.State == PendingWaiting || got.Lines != nil || got.Ended == nil || got.EndedBy != tomas || len(got.Said) != 1 {
		t.Errorf("ended %d times: %+v (%v)", ended.Load(), got, err)
	}
	if waiting, err := s.WaitingChanges(ctx); err != nil || len(waiting) != 0 {
		t.Errorf("%v (%v)", waiting, err)
	}
	// A while later nothing is left of what it was about.
	if _, err := s.Pool.Exec(ctx, "update pending_change set ended_at = ended_at - $1::interval", (PendingShown + time.Hour).String()); err != nil {
		t.Fatal(err)
	}
	next := pass()
	if ok, err := s.EndPendingChange(ctx, next.ID, PendingRefused, tomas, "Ask me in spring", 0); err != nil || !ok {
		t.Error(ok, err)
	}
	if got, err := s.PendingChange(ctx, p.ID); err != nil || len(got.Said) != 0 || got.Reason != "" {
		t.Errorf("%+v (%v)", got, err)
	}
	if mine, err := s.PendingChangesOf(ctx, ines, time.Now().Add(-time.Hour)); err != nil || len(mine) != 1 || mine[0].Answer != "Ask me in spring" {
		t.Errorf("%v (%v)", mine, err)
	}
	if gone, err := s.PendingChange(ctx, 999); gone != nil || err != nil {
		t.Error(gone, err)
	}
	for range MostWaiting {
		pass()
	}
	if err := s.PutPendingChange(ctx, &PendingChange{Author: ines, Lines: json.RawMessage(`[]`), Said: []string{}}); !errors.Is(err, ErrTooMany) {
		t.Error(err)
	}
	if err := s.PutPendingChange(ctx, &PendingChange{Author: tomas, Lines: json.RawMessage(`[]`), Said: []string{}}); err != nil {
		t.Error("another's:", err)
	}
}

// What was refused is kept once a day and counted, of everybody only so much.
func TestRefusalsAreCountedAndCapped(t *testing.T) {
	testkit.Long(t)
	s := store(t)
	refused := func(user fact.UserID, call, detail string) {
		t.Helper()
		if err := s.Refused(ctx, Refusal{User: user, Call: call, Detail: detail, Via: "api"}); err != nil {
			t.Fatal(err)
		}
	}
	long := strings.Repeat("é", 2000)
	for range 3 {
		refused(ines, "POST /changes", "you may not")
		refused(ines, "POST "+long, long)
	}
	for i := range MostRefusals + 20 {
		refused(ines, "POST /changes", fmt.Sprint("no ", i))
	}
	refused(ines, "POST /changes", "you may not")
	refused(tomas, "POST /changes", "you may not")
	all, err := s.Refusals(ctx, time.Now().Add(-time.Hour), 1000)
	if err != nil {
		t.Fatal(err)
	}
	times := map[string]int{}
	for _, r := range all {
		times[fmt.Sprintf("%s %.20s", r.User, r.Detail)] = r.Times
	}
	if len(all) != MostRefusals+1 || times["user-7 you may not"] != 4 || times["user-8 you may not"] != 1 || times["user-7 "+strings.Repeat("é", 20)] != 3 {
		t.Errorf("%d kept: %v", len(all), times)
	}
	if all[0].User != tomas || all[0].Last.Before(all[len(all)-1].Last) {
		t.Errorf("the newest first: %+v", all[0])
	}
	if some, err := s.Refusals(ctx, time.Now().Add(time.Hour), 10); err != nil || len(some) != 0 {
		t.Errorf("%v (%v)", some, err)
	}
}
