package usage

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"sync"
	"testing"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/migrations"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5/pgxpool"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

func pool(t *testing.T) *pgxpool.Pool {
	t.Helper()
	p := testkit.Pool(t, testkit.Database(t))
	if err := migrations.Migrate(ctx, p); err != nil {
		t.Fatal(err)
	}
	return p
}

func open(p *pgxpool.Pool) *Counts { return Open(p, slog.New(slog.DiscardHandler)) }

// Whatever is counted by several programs at once adds up, by kind, application,
// user, action and path, and outlives the programs.
func TestCountsAddUp(t *testing.T) {
	p := pool(t)
	want := map[Key]int64{}
	last := map[Key]time.Time{}
	var mu sync.Mutex
	var all sync.WaitGroup
	programs := []*Counts{open(p), open(p)}
	begin := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	for n, x := range programs {
		for g := range 4 {
			all.Go(func() {
				rng := rand.New(rand.NewPCG(uint64(n), uint64(g)))
				for i := range 500 {
					k := Key{[]Kind{Rehearsed, Unknown}[rng.IntN(2)], fact.ApplicationID(1 + rng.IntN(2)), fact.UserID(rng.IntN(3)), []string{"read", "update"}[rng.IntN(2)], fmt.Sprintf("a/%d", rng.IntN(4))}
					at := begin.Add(time.Duration(rng.IntN(1000)) * time.Second)
					mu.Lock()
					want[k]++
					if at.After(last[k]) {
						last[k] = at
					}
					mu.Unlock()
					x.Add(k, at)
					if i%100 == 0 {
						x.flush(ctx)
					}
				}
			})
		}
	}
	all.Wait()
	for _, x := range programs {
		x.Close()
	}
	reader := open(p)
	defer reader.Close()
	told := 0
	for _, kind := range []Kind{Rehearsed, Unknown} {
		for app := range fact.ApplicationID(3) {
			counts, err := reader.Of(ctx, kind, app)
			if err != nil {
				t.Fatal(err)
			}
			for i, c := range counts {
				told++
				if c.Times != want[c.Key] {
					t.Errorf("%+v is told %d times, was counted %d", c.Key, c.Times, want[c.Key])
				}
				if i > 0 && counts[i-1].Times < c.Times {
					t.Errorf("%+v comes after one of fewer", c.Key)
				}
			}
		}
	}
	if told != len(want) {
		t.Errorf("%d keys are told, %d were counted", told, len(want))
	}
}

// As many keys are kept of an application as there is room for, whoever asks about
// how many; those that are kept go on being counted, and others are not crowded out.
func TestCountsAreCapped(t *testing.T) {
	testkit.Long(t)
	p := pool(t)
	x := open(p)
	defer x.Close()
	now := time.Now()
	begins := Key{Unknown, 1, 0, "read", "before/the/flood"}
	x.Add(begins, now)
	x.flush(ctx)
	for n := range mostKept/mostWaiting + 2 {
		for i := range mostWaiting + 500 {
			x.Add(Key{Unknown, 1, 0, "read", fmt.Sprintf("flood/%d/%d", n, i)}, now)
		}
		x.flush(ctx)
	}
	x.Add(begins, now)
	x.Add(Key{Unknown, 2, 0, "read", "elsewhere"}, now)
	x.Add(Key{Rehearsed, 1, 7, "read", "before/the/flood"}, now)
	counts, err := x.Of(ctx, Unknown, 1)
	if err != nil || len(counts) != mostKept {
		t.Errorf("%d kept (%v)", len(counts), err)
	}
	if counts[0].Key != begins || counts[0].Times != 2 {
		t.Errorf("the first is %+v", counts[0])
	}
	for kind, app := range map[Kind]fact.ApplicationID{Unknown: 2, Rehearsed: 1} {
		if others, err := x.Of(ctx, kind, app); err != nil || len(others) != 1 || others[0].Times != 1 {
			t.Errorf("%s of %v: %v (%v)", kind, app, others, err)
		}
	}
}

// While the database is away nothing waits for it, and what is counted meanwhile is
// all that is lost.
func TestCountingGoesOnWithoutTheDatabase(t *testing.T) {
	p := pool(t)
	x := open(p)
	k := Key{Rehearsed, 1, 7, "read", "a"}
	x.Add(k, time.Now())
	x.flush(ctx)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	x.Add(k, time.Now())
	x.flush(gone)
	x.Add(k, time.Now())
	x.Close()
	y := open(p)
	defer y.Close()
	if counts, err := y.Of(ctx, Rehearsed, 1); err != nil || len(counts) != 1 || counts[0].Times != 2 {
		t.Errorf("%v (%v)", counts, err)
	}
}
