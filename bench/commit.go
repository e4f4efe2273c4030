package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/changing"
	"ableroster/internal/effect"
	"ableroster/internal/operation/roles"
	"ableroster/wire"
)

// changer makes one-operation changes: it grants a role that nobody holds yet
// to some user, and takes it back the next time.
type changer struct {
	k     *kept
	users int
	rng   *rand.Rand
	held  string
}

func (c *changer) next(reason string, dryRun bool) error {
	op := fmt.Sprintf(`{"op":"revoke","role":"seasonal-helper","user":%q}`, c.held)
	if c.held == "" || dryRun {
		c.held = demo.UserName(c.rng.IntN(c.users))
		op = fmt.Sprintf(`{"op":"grant","role":"crane-control/lock-keeper","user":%q,"until":"2030-01-01T00:00:00Z"}`, c.held)
		if !dryRun {
			op = fmt.Sprintf(`{"op":"grant","role":"seasonal-helper","user":%q}`, c.held)
		}
	} else {
		c.held = ""
	}
	_, err := changing.Change(context.Background(), c.k.service, c.k.admin, wire.ChangeRequest{Reason: reason, Operations: []json.RawMessage{json.RawMessage(op)}}, changing.How{DryRun: dryRun})
	return err
}

// commits measures a one-operation change, judged, previewed, committed and
// answered, against a bare one-row insert and commit on the same cluster.
func commits(ctx context.Context, database string) ([]line, error) {
	k, err := keep(ctx, database, 1_000)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	if _, err := k.pool.Exec(ctx, "create table bare (id bigint generated always as identity primary key, text text)"); err != nil {
		return nil, err
	}
	bare := func() error {
		_, err := k.pool.Exec(ctx, "insert into bare (text) values ('a row like any other')")
		return err
	}
	one := &changer{k: k, users: 1_000, rng: rand.New(rand.NewPCG(3, 4))}
	ours, against, err := inTurn(1500, func() error { return one.next("measuring", false) }, bare)
	if err != nil {
		return nil, err
	}
	out := []line{{"a one-operation change against a bare insert, 1 writer", ours.String(), against.String(), ratio(ours.p50(), against.p50()), "aim: at most 3.3"}}

	const writers = 16
	var rates [2][]float64
	for range 12 { // short turns: what else the machine does meets both alike
		for i, work := range []func(w int) func() error{
			func(w int) func() error {
				c := &changer{k: k, users: 1_000, rng: rand.New(rand.NewPCG(9, uint64(w)))}
				// Writers keep to users of their own: none undoes another's.
				return func() error { return c.own(w, writers) }
			},
			func(int) func() error { return bare },
		} {
			rate, err := throughput(writers, 500*time.Millisecond, work)
			if err != nil {
				return nil, err
			}
			rates[i] = append(rates[i], rate)
		}
	}
	a, b := middle(rates[0]), middle(rates[1])
	return append(out, line{"the same with 16 writers, changes a second", fmt.Sprintf("%.0f/s", a), fmt.Sprintf("%.0f/s", b), fmt.Sprintf("%.2f", a/b), "aim: at least 0.33"}), nil
}

func (c *changer) own(w, writers int) error {
	if c.held == "" {
		c.held = demo.UserName(c.rng.IntN(c.users/writers)*writers + w)
		return c.one(fmt.Sprintf(`{"op":"grant","role":"seasonal-helper","user":%q}`, c.held))
	}
	was := c.held
	c.held = ""
	return c.one(fmt.Sprintf(`{"op":"revoke","role":"seasonal-helper","user":%q}`, was))
}

func (c *changer) one(op string) error {
	_, err := changing.Change(context.Background(), c.k.service, c.k.admin, wire.ChangeRequest{Reason: "measuring", Operations: []json.RawMessage{json.RawMessage(op)}}, changing.How{})
	return err
}

// throughput is how often a second writers get their work done.
func throughput(writers int, last time.Duration, work func(w int) func() error) (float64, error) {
	var done atomic.Int64
	var failed atomic.Value
	var wait sync.WaitGroup
	began := time.Now()
	for w := range writers {
		do := work(w)
		wait.Go(func() {
			for time.Since(began) < last {
				if err := do(); err != nil {
					failed.Store(err)
					return
				}
				done.Add(1)
			}
		})
	}
	wait.Wait()
	err, _ := failed.Load().(error)
	return float64(done.Load()) / time.Since(began).Seconds(), err
}

func middle(all []float64) float64 {
	lo, hi := all[0], all[0]
	sum := 0.0
	for _, x := range all {
		lo, hi, sum = min(lo, x), max(hi, x), sum+x
	}
	if len(all) < 3 {
		return sum / float64(len(all))
	}
	return (sum - lo - hi) / float64(len(all)-2)
}

// differences measures that the next snapshot costs what a change touches and
// not what there is: one user's preview and commit at two sizes.
func differences(ctx context.Context, database string) ([]line, error) {
	small, err := snapshot(1_000)
	if err != nil {
		return nil, err
	}
	large, err := snapshot(100_000)
	if err != nil {
		return nil, err
	}
	in := func(s *access.Snapshot, users int) func() error {
		rng := rand.New(rand.NewPCG(5, 6))
		admin, _ := s.FindUser(demo.Administrator)
		return func() error {
			at := calendar.At(time.Now())
			d := change.NewDraft(s)
			d.Apply(0, &roles.Grant{Role: "tariff-ledger/clerk", User: change.UserRef(demo.UserName(rng.IntN(users))), Window: calendar.Window{Until: at + 1e12}}, at)
			d.Finish()
			if len(d.Faults) > 0 {
				return &d.Faults[0]
			}
			p := effect.Of(d, at)
			if lacks := change.AuthorityOf(s, admin, at).Judge(d, at); len(lacks) > 0 {
				return fmt.Errorf("the administrator may not grant")
			}
			effect.Rails(d, admin, p, at, nil)
			d.Seal(d.Revision, at)
			return nil
		}
	}
	l, s, err := inTurn(4000, in(large, 100_000), in(small, 1_000))
	if err != nil {
		return nil, err
	}
	out := []line{{"preview and next snapshot of a one-user change in the core, 100,000 users against 1,000", l.String(), s.String(), ratio(l.p50(), s.p50()), "aim: at most 2"}}
	ks, err := keep(ctx, database, 1_000)
	if err != nil {
		return nil, err
	}
	defer ks.drop()
	kl, err := keep(ctx, database, 100_000)
	if err != nil {
		return nil, err
	}
	defer kl.drop()
	for _, dry := range []bool{true, false} {
		cl := &changer{k: kl, users: 100_000, rng: rand.New(rand.NewPCG(7, 8))}
		cs := &changer{k: ks, users: 1_000, rng: rand.New(rand.NewPCG(7, 8))}
		l, s, err := inTurn(1000, func() error { return cl.next("measuring", dry) }, func() error { return cs.next("measuring", dry) })
		if err != nil {
			return nil, err
		}
		what := map[bool]string{true: "the same previewed through the desk", false: "the same committed and answered"}[dry]
		out = append(out, line{what, l.String(), s.String(), ratio(l.p50(), s.p50()), "aim: at most 2"})
	}
	return out, nil
}
