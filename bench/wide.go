package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"ableroster/demo"
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
	others := func(until func() error) (*meanwhile, error) {
		m := &meanwhile{}
		for n := range 4 {
			m.change(a, demo.UserName(7+n))
		}
		m.check(a)
		return m, errors.Join(until(), m.end())
	}
	alone, err := others(func() error { time.Sleep(5 * time.Second); return nil })
	if err != nil {
		return nil, err
	}
	var wide sample
	beside, err := others(func() error {
		for i := range 6 {
			op := map[string]any{"op": []string{"grant", "revoke"}[i%2], "role": "crane-control/observer", "group": "all-users"}
			took, err := timed(func() error {
				return a.call("POST", "/changes", map[string]any{"reason": "for everybody", "operations": []any{op}, "acknowledge": []string{"wide_gain", "wide_loss", "gain_for_everybody", "direct_assignment", "violation_warned", "expectation_warned"}}, nil)
			})
			if wide = append(wide, took); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return []line{
		{"while roles are given to all of 100,000 users and taken back: a change of another, against without", beside.changes.String(), alone.changes.String(), ratio(beside.changes.p50(), alone.changes.p50()), fmt.Sprintf("longest %s of %d; aim: p99 250 ms, longest 1 s", short(slices.Max(beside.changes)), len(beside.changes))},
		{"meanwhile: a check", beside.checks.String(), "", "", fmt.Sprintf("longest %s of %d", short(slices.Max(beside.checks)), len(beside.checks))},
		{"meanwhile: such a change itself", wide.String(), "", "", ""},
	}, nil
}
