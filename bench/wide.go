package main

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/demo"
	"ableroster/wire"
)

// measureWide measures what others wait while somebody makes changes of one operation that
// touch all of 100,000 users: a role for everybody, and its end.
func measureWide(ctx context.Context, database string) ([]line, error) {
	_, services, stopping, err := several(ctx, database, 100_000, 1)
	if err != nil {
		return nil, err
	}
	defer stopping()
	a := services[0]
	var alone, beside, checks, wide sample
	others := func(changes *sample, until func() error) error {
		var stop atomic.Bool
		var wait sync.WaitGroup
		var mu sync.Mutex
		var failed error
		keep := func(s *sample, took time.Duration, err error) {
			mu.Lock()
			defer mu.Unlock()
			if *s = append(*s, took); err != nil {
				failed = err
				stop.Store(true)
			}
		}
		for n := range 4 {
			wait.Go(func() {
				for i := 0; !stop.Load(); i++ {
					began := time.Now()
					op := map[string]any{"op": []string{"grant", "revoke"}[i%2], "role": "seasonal-helper", "user": demo.UserName(7 + n)}
					err := a.call("POST", "/changes", map[string]any{"reason": "meanwhile", "operations": []any{op}}, nil)
					keep(changes, time.Since(began), err)
					time.Sleep(5 * time.Millisecond)
				}
			})
		}
		wait.Go(func() {
			for i := 0; !stop.Load(); i++ {
				began := time.Now()
				err := a.call("POST", "/check", wire.CheckRequest{User: demo.UserName(i % 1000), Application: "tide-board", Action: "read", Path: "tides"}, nil)
				keep(&checks, time.Since(began), err)
				time.Sleep(5 * time.Millisecond)
			}
		})
		err := until()
		stop.Store(true)
		wait.Wait()
		if err == nil {
			err = failed
		}
		return err
	}
	if err := others(&alone, func() error { time.Sleep(5 * time.Second); return nil }); err != nil {
		return nil, err
	}
	checks = nil
	err = others(&beside, func() error {
		for i := range 6 {
			op := map[string]any{"op": []string{"grant", "revoke"}[i%2], "role": "crane-control/observer", "group": "all-users"}
			began := time.Now()
			if err := a.call("POST", "/changes", map[string]any{"reason": "for everybody", "operations": []any{op}, "acknowledge": []string{"wide_gain", "wide_loss", "gain_for_everybody", "direct_assignment", "violation_warned", "expectation_warned"}}, nil); err != nil {
				return err
			}
			wide = append(wide, time.Since(began))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return []line{
		{"while roles are given to all of 100,000 users and taken back: a change of another, against without", beside.String(), alone.String(), ratio(beside.p50(), alone.p50()), fmt.Sprintf("longest %s of %d; aim: p99 250 ms, longest 1 s", short(slices.Max(beside)), len(beside))},
		{"meanwhile: a check", checks.String(), "", "", fmt.Sprintf("longest %s of %d", short(slices.Max(checks)), len(checks))},
		{"meanwhile: such a change itself", wide.String(), "", "", ""},
	}, nil
}
