package main

import (
	"context"
	"fmt"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/review"
)

// workflows measures, of an organisation of 100,000 users, the preview of a
// default rule over all of them and the lines of a round over 100,000 of what
// they hold.
func workflows(context.Context, string) ([]line, error) {
	s, err := snapshot(100_000)
	if err != nil {
		return nil, err
	}
	small, err := snapshot(1_000)
	if err != nil {
		return nil, err
	}
	at := access.At(time.Now())
	rule := func(s *access.Snapshot) func() error {
		return func() error {
			d := s.Draft()
			d.Apply(0, &access.AddDefault{Key: "everybody", Everybody: true, Roles: []access.RoleRef{"crane-control/lock-keeper"}}, at)
			d.Finish()
			if len(d.Faults) > 0 {
				return &d.Faults[0]
			}
			if p := d.Preview(at); len(p.Effects) == 0 {
				return fmt.Errorf("nobody gains by it")
			}
			return nil
		}
	}
	ruled, ruledSmall, err := inTurn(3, rule(s), rule(small))
	if err != nil {
		return nil, err
	}
	n := 0
	lines := func(s *access.Snapshot, count *int) func() error {
		return func() error {
			r := review.Round{Filter: "title pr or not (title pr)", Reviewers: review.Manager, At: at}
			all := r.Lines(s)
			if count != nil {
				*count = len(all)
			}
			return nil
		}
	}
	opened, openedSmall, err := inTurn(3, lines(s, &n), lines(small, nil))
	if err != nil {
		return nil, err
	}
	return []line{
		{"preview of a default rule over 100,000 users, against 1,000", ruled.String(), ruledSmall.String(), ratio(ruled.p50(), ruledSmall.p50()), "aim: 2 s"},
		{fmt.Sprintf("the lines of a round, %d of them, against those of 1,000 users", n), opened.String(), openedSmall.String(), ratio(opened.p50(), openedSmall.p50()), "aim: 10 s for 100,000"},
	}, nil
}
