package jobs_test

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5/pgxpool"
)

var ctx = context.Background()

func open(t *testing.T, pool *pgxpool.Pool, work jobs.Work) *jobs.Jobs {
	t.Helper()
	j, err := jobs.Open(pool, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	if err := j.Start(ctx, work); err != nil {
		t.Fatal(err)
	}
	return j
}

func send(t *testing.T, j *jobs.Jobs, name, text string) *jobs.Upload {
	t.Helper()
	u := &jobs.Upload{Owner: 7, Via: "API", Name: name, Kind: "users", Options: []byte("{}"), Epoch: 1}
	if err := j.Receive(ctx, u, strings.NewReader(text)); err != nil {
		t.Fatal(err)
	}
	return u
}

// A file comes out as it came in, whatever its length, and what comes of it is told to
// whoever waits, at the service that works it and at another.
func TestAnUploadIsWorkedAndTold(t *testing.T) {
	testkit.Long(t)
	pool := testkit.Pool(t, testkit.Database(t))
	echo := func(_ context.Context, u *jobs.Upload, content []byte, _ *jobs.Run) (jobs.Answer, error) {
		if len(content) != int(u.Bytes) || strings.Trim(string(content), "x") != "" {
			return jobs.Answer{Problem: []byte(`"other bytes"`)}, nil
		}
		return jobs.Answer{Result: []byte(`"fine"`), Revision: u.Bytes}, nil
	}
	j, other := open(t, pool, echo), open(t, pool, echo)
	defer other.Stop(ctx, time.Now())
	defer j.Stop(ctx, time.Now())
	for _, n := range []int{0, 1, 256 << 10, 256<<10 + 1, 3 << 20} {
		u := send(t, j, "one", strings.Repeat("x", n))
		for _, at := range []*jobs.Jobs{j, other} {
			u, err := at.Wait(ctx, u.ID, time.Minute)
			if err != nil || u.State != jobs.Done || u.Answer == nil || u.Answer.Revision != int64(n) {
				t.Errorf("%d bytes: %+v %v", n, u, err)
			}
		}
	}
}

// What was refused is told of the owners one asks for, and previews are not.
func TestWhatWasRefusedIsTold(t *testing.T) {
	j := open(t, testkit.Pool(t, testkit.Database(t)), func(_ context.Context, u *jobs.Upload, content []byte, _ *jobs.Run) (jobs.Answer, error) {
		if string(content) == "good" {
			return jobs.Answer{Result: []byte(`"fine"`)}, nil
		}
		return jobs.Answer{Problem: []byte(`{"faults":[{"message":"x"}]}`)}, nil
	})
	defer j.Stop(ctx, time.Now())
	for name, x := range map[string]struct {
		owner         fact.UserID
		options, text string
	}{"good": {7, `{"file":"a.csv"}`, "good"}, "bad": {7, `{"file":"b.csv"}`, "bad"}, "preview": {7, `{"file":"c.csv","dry_run":true}`, "bad"}, "another's": {8, `{}`, "bad"}, "nobody's": {9, `{}`, "bad"}} {
		u := &jobs.Upload{Owner: x.owner, Via: "API", Name: name, Kind: "users", Options: []byte(x.options), Epoch: 1}
		if err := j.Receive(ctx, u, strings.NewReader(x.text)); err != nil {
			t.Fatal(err)
		}
		if _, err := j.Wait(ctx, u.ID, time.Minute); err != nil {
			t.Fatal(err)
		}
	}
	var names []string
	all, err := j.RefusedOf(ctx, []fact.UserID{7, 8})
	for _, u := range all {
		names = append(names, u.Name)
	}
	slices.Sort(names)
	if err != nil || !slices.Equal(names, []string{"another's", "bad"}) {
		t.Errorf("%v %v", names, err)
	}
	if all, err := j.RefusedOf(ctx, nil); err != nil || len(all) > 0 {
		t.Errorf("%v %v", all, err)
	}
}

// What a service began that is gone is worked by another, once; what failed for no fault of
// the file's is tried again; and whoever stops leaves what is not done to the others.
func TestAnUploadIsResumed(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	var tries, done atomic.Int32
	began := make(chan struct{}, 10)
	stuck := func(ctx context.Context, _ *jobs.Upload, _ []byte, r *jobs.Run) (jobs.Answer, error) {
		began <- struct{}{}
		<-ctx.Done()
		return jobs.Answer{}, ctx.Err()
	}
	works := func(context.Context, *jobs.Upload, []byte, *jobs.Run) (jobs.Answer, error) {
		if tries.Add(1) == 1 {
			return jobs.Answer{}, errors.New("the database is away")
		}
		done.Add(1)
		return jobs.Answer{Result: []byte("1")}, nil
	}
	first := open(t, testkit.Pool(t, database), stuck)
	u := send(t, first, "one", "x")
	<-began
	// While somebody works it, it is nobody else's.
	second := open(t, testkit.Pool(t, database), works)
	defer second.Stop(ctx, time.Now())
	if err := second.Resume(ctx); err != nil {
		t.Fatal(err)
	}
	if is, err := second.Named(ctx, 7, "one"); err != nil || is.State != jobs.Working || done.Load() != 0 {
		t.Errorf("%+v %v", is, err)
	}
	first.Stop(ctx, time.Now())
	testkit.Until(t, "another to have worked it", func() bool {
		if err := second.Resume(ctx); err != nil {
			t.Fatal(err)
		}
		is, err := second.Named(ctx, 7, "one")
		return err == nil && is.State == jobs.Done
	})
	if done.Load() != 1 {
		t.Errorf("it was worked %d times", done.Load())
	}
	if w, err := first.Wait(ctx, u.ID, time.Hour); err != nil || w.State != jobs.Done {
		t.Errorf("%+v %v", w, err)
	}
}

// One that waits is cancelled at once; one that is worked, where it asks; one that is final,
// not any more.
func TestAnUploadIsCancelled(t *testing.T) {
	pool := testkit.Pool(t, testkit.Database(t))
	final := make(chan bool)
	at := make(chan struct{})
	j := open(t, pool, func(_ context.Context, _ *jobs.Upload, _ []byte, r *jobs.Run) (jobs.Answer, error) {
		last := <-final
		if err := r.Stage("begun", 0, 0, last); err != nil {
			return jobs.Answer{}, err
		}
		at <- struct{}{}
		<-at
		for ; r.Stage("ending", 0, 0, false) == nil; time.Sleep(time.Millisecond) {
			if last {
				return jobs.Answer{Result: []byte("1")}, nil
			}
		}
		return jobs.Answer{Problem: []byte(`"stopped"`)}, nil
	})
	defer j.Stop(ctx, time.Now())
	for _, x := range []struct {
		final bool
		want  jobs.State
	}{{false, jobs.Cancelled}, {true, jobs.Done}} {
		send(t, j, "one", "x")
		final <- x.final
		<-at
		said := make(chan *jobs.Upload)
		go func() {
			u, err := j.Cancel(ctx, 7, "one", time.Minute)
			if err != nil {
				t.Error(err)
			}
			said <- u
		}()
		testkit.Until(t, "it to be noted", func() bool {
			var noted bool
			err := pool.QueryRow(ctx, "select cancelled from upload where name = 'one'").Scan(&noted)
			return err == nil && noted
		})
		at <- struct{}{}
		if u := <-said; u == nil || u.State != x.want {
			t.Errorf("final %v: %+v", x.final, u)
		}
	}
	if _, err := j.Cancel(ctx, 7, "one", time.Minute); !errors.Is(err, jobs.ErrUnknown) {
		t.Errorf("one that has ended: %v", err)
	}
	if _, err := j.Cancel(ctx, 8, "one", time.Minute); !errors.Is(err, jobs.ErrUnknown) {
		t.Errorf("one of somebody else: %v", err)
	}
}

// What ended a day ago goes, and what broke off.
func TestWhatEndedGoes(t *testing.T) {
	pool := testkit.Pool(t, testkit.Database(t))
	j := open(t, pool, func(context.Context, *jobs.Upload, []byte, *jobs.Run) (jobs.Answer, error) {
		return jobs.Answer{Result: []byte("1")}, nil
	})
	defer j.Stop(ctx, time.Now())
	for _, name := range []string{"old", "new"} {
		if _, err := j.Wait(ctx, send(t, j, name, "x").ID, time.Minute); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := pool.Exec(ctx, "update upload set ended_at = ended_at - interval '25 hours' where name = 'old'"); err != nil {
		t.Fatal(err)
	}
	if err := j.Tidy(ctx); err != nil {
		t.Fatal(err)
	}
	if all, err := j.Of(ctx, 7); err != nil || len(all) != 1 || all[0].Name != "new" {
		t.Errorf("%+v %v", all, err)
	}
}

// One that a service took, and was gone before it began, is worked by another too.
func TestAnUploadThatWasTakenIsResumed(t *testing.T) {
	pool := testkit.Pool(t, testkit.Database(t))
	gone, err := jobs.Open(pool, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	send(t, gone, "one", "x")
	if _, err := pool.Exec(ctx, "update jobs.river_job set state = 'running', attempted_at = now(), attempt = 1"); err != nil {
		t.Fatal(err)
	}
	j := open(t, pool, func(context.Context, *jobs.Upload, []byte, *jobs.Run) (jobs.Answer, error) {
		return jobs.Answer{Result: []byte("1")}, nil
	})
	defer j.Stop(ctx, time.Now())
	testkit.Until(t, "another to have worked it", func() bool {
		if err := j.Resume(ctx); err != nil {
			t.Fatal(err)
		}
		u, err := j.Named(ctx, 7, "one")
		return err == nil && u.State == jobs.Done
	})
}

// What is the database's fault says so, whatever it is: a connection that ends in the middle
// too.
func TestFaultsOfTheDatabaseAreTold(t *testing.T) {
	pool := testkit.Pool(t, testkit.Database(t))
	j, err := jobs.Open(pool, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := pool.Exec(ctx, "alter table upload rename to elsewhere"); err != nil {
		t.Fatal(err)
	}
	u := &jobs.Upload{Owner: 7, Via: "API", Name: "one", Kind: "users", Options: []byte("{}"), Epoch: 1}
	_, named := j.Named(ctx, 7, "one")
	_, waited := j.Wait(ctx, 1, time.Minute)
	_, cancelled := j.Cancel(ctx, 7, "one", time.Minute)
	for what, err := range map[string]error{"sending": j.Receive(ctx, u, strings.NewReader("x")), "asking": named, "waiting": waited, "cancelling": cancelled} {
		if fault := new(jobs.DatabaseError); !errors.As(err, &fault) {
			t.Errorf("%s: %v", what, err)
		}
	}
}
