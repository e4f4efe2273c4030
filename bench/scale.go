package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/demo"
	"ableroster/internal/calendar"
	"ableroster/internal/ledger"
	"ableroster/internal/seeing"
)

const million = 1_000_000

// inAMillion measures in an organisation of a million users.
func inAMillion(measure func(context.Context, *kept, int) ([]line, error)) func(context.Context, string) ([]line, error) {
	return func(ctx context.Context, database string) ([]line, error) {
		k, err := lasting(ctx, database, million)
		if err != nil {
			return nil, err
		}
		defer k.drop()
		return measure(ctx, k, million)
	}
}

// against10000 measures the preview and the commit of a change to one user.
func against10000(ctx context.Context, k *kept, users int) ([]line, error) {
	ten, err := keep(ctx, k.database, 10_000)
	if err != nil {
		return nil, err
	}
	defer ten.drop()
	var out []line
	for _, dry := range []bool{true, false} {
		a := &changer{k: k, users: users, rng: rand.New(rand.NewPCG(7, 8))}
		b := &changer{k: ten, users: 10_000, rng: rand.New(rand.NewPCG(7, 8))}
		l, s, err := inTurn(1000, func() error { return a.next("measuring", dry) }, func() error { return b.next("measuring", dry) })
		if err != nil {
			return out, err
		}
		what := map[bool]string{true: "preview", false: "commit"}[dry] + " of a change to one user, 1,000,000 users against 10,000"
		out = append(out, line{what, l.String(), s.String(), ratio(l.p50(), s.p50()), "aim: at most 1.5"})
	}
	return out, nil
}

// whileCommitting measures checks with 200 commits a second beside them,
// against checks alone.
func whileCommitting(ctx context.Context, k *kept, users int) ([]line, error) {
	qs := checkQuestions(k.ledger.Head(), users, 200_000)
	next := 0
	during := func(last time.Duration, into *sample) error {
		for began := time.Now(); time.Since(began) < last; {
			q := qs[next%len(qs)]
			next++
			t := time.Now()
			if _, err := k.ledger.Head().Check(q); err != nil {
				return err
			}
			*into = append(*into, time.Since(t))
		}
		return nil
	}
	var with, without sample
	var commits, spent int
	for range 5 {
		if err := during(2*time.Second, &without); err != nil {
			return nil, err
		}
		var stop atomic.Bool
		var wait sync.WaitGroup
		var failed error
		wait.Go(func() {
			c := &changer{k: k, users: users, rng: rand.New(rand.NewPCG(21, uint64(spent)))}
			for tick := time.NewTicker(5 * time.Millisecond); !stop.Load() && failed == nil; <-tick.C {
				failed = c.next("measuring", false)
				commits++
			}
			if c.held != "" && failed == nil {
				failed = c.next("measuring", false)
			}
		})
		err := during(2*time.Second, &with)
		spent += 2
		stop.Store(true)
		wait.Wait()
		if err != nil || failed != nil {
			return nil, fmt.Errorf("%v %v", err, failed)
		}
	}
	return []line{{"one check, 1,000,000 users, while others commit, against alone", with.String(), without.String(),
		ratio(with.p99(), without.p99()), fmt.Sprintf("of p99; aim: at most 2; %d commits a second", commits/spent)}}, nil
}

// oldDays measures questions about past instants.
func oldDays(ctx context.Context, k *kept, users int) ([]line, error) {
	head := k.ledger.Head().Revision
	var instants []calendar.Instant
	rows, err := k.pool.Query(ctx, "select at from revision where revision > 10 and revision < $1 order by revision", head)
	if err != nil {
		return nil, err
	}
	for rows.Next() {
		var at time.Time
		if err := rows.Scan(&at); err != nil {
			return nil, err
		}
		instants = append(instants, calendar.At(at))
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	rng := rand.New(rand.NewPCG(31, 32))
	one, bare, err := inTurn(300, func() error {
		id, _ := k.ledger.Head().FindUser(demo.UserName(rng.IntN(users)))
		_, err := k.ledger.Slice(ctx, instants[rng.IntN(len(instants))], id)
		return err
	}, func() error {
		_, err := k.pool.Exec(ctx, "select * from user_fact where id = $1", rng.IntN(users))
		return err
	})
	if err != nil {
		return nil, err
	}
	out := []line{{"one user on any old day, against one row by its key", one.String(), bare.String(), ratio(one.p50(), bare.p50()), "aim: p99 at most 50 ms; 8,000,000 rows of history"}}

	var cold, warm, today sample
	late := instants[len(instants)-2:] // days on which everybody was there
	for i := range 2 {
		began := time.Now()
		l, err := ledger.Open(ctx, k.pool, k.log)
		if err != nil {
			return nil, err
		}
		today = append(today, time.Since(began))
		for _, times := range []*sample{&cold, &warm} {
			began = time.Now()
			if _, err := l.At(ctx, late[i]); err != nil {
				return nil, err
			}
			*times = append(*times, time.Since(began))
		}
		l.Close()
	}
	return append(out,
		line{"the whole organisation on a cold old day, against loading today's", cold.String(), today.String(), ratio(cold.p50(), today.p50()), "aim: at most 2"},
		line{"the same day asked again", warm.String(), "", "", "held in memory"}), nil
}

// atReplicas measures how soon a revoke that one service answered is denied at another:
// while nobody else writes, and while eight write at the one, at the other, or at both.
func atReplicas(ctx context.Context, k *kept, users int) ([]line, error) {
	other, err := ledger.Open(ctx, k.pool, k.log)
	if err != nil {
		return nil, err
	}
	defer other.Close()
	there := *k
	there.ledger, there.service = other, &seeing.Service{Ledger: other, Clock: time.Now}
	var out []line
	for _, x := range []struct {
		who string
		at  []*kept
	}{{"nobody else writes", nil}, {"eight write there", []*kept{k}}, {"eight write at the other", []*kept{&there}}, {"four write at each", []*kept{k, &there}}} {
		lag, whole, err := lagBeside(ctx, k, other, users, x.at)
		if err != nil {
			return nil, err
		}
		out = append(out, line{"an answered revoke at another service while " + x.who + ", against answering it", lag.String(), whole.String(), ratio(lag.p50(), whole.p50()),
			fmt.Sprintf("longest %s; aim: 100 ms", short(slices.Max(lag)))})
	}
	return out, nil
}

// lagBeside measures it while eight writers write at some services.
func lagBeside(ctx context.Context, k *kept, other *ledger.Ledger, users int, at []*kept) (lag, whole sample, err error) {
	var end atomic.Bool
	var wait sync.WaitGroup
	defer wait.Wait()
	defer end.Store(true)
	const writers = 8
	for i, x := range at {
		for w := range writers / len(at) {
			c := &changer{k: x, users: users / 2, rng: rand.New(rand.NewPCG(uint64(i), uint64(w)))}
			wait.Go(func() {
				for !end.Load() {
					_ = c.own(w*len(at)+i, writers) // the one that is measured tells of faults
				}
			})
		}
	}
	c := &changer{k: k, users: users, rng: rand.New(rand.NewPCG(51, 52))}
	for range 300 {
		began := time.Now()
		if err := c.own(users/2, users); err != nil {
			return nil, nil, err
		}
		answered := time.Now()
		if !other.WaitFor(ctx, k.ledger.Head().Revision) {
			return nil, nil, fmt.Errorf("the other service did not follow")
		}
		lag = append(lag, time.Since(answered))
		whole = append(whole, time.Since(began))
	}
	return lag, whole, nil
}
