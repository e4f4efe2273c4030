package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"time"

	"ableroster/demo"
	"ableroster/internal/calendar"

	"github.com/jackc/pgx/v5"
)

// rival measures a check in the core against a recursive query, well indexed,
// over the rows of the same organisation: with equal answers.
func rival(ctx context.Context, database string) ([]line, error) {
	const users = 100_000
	k, err := lasting(ctx, database, users)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	conn, err := pgx.Connect(ctx, k.pool.Config().ConnString()+"&jit=off")
	if err != nil {
		return nil, err
	}
	defer conn.Close(ctx)
	s := k.ledger.Head()
	qs := checkQuestions(s, users, 2_000)
	rand.Shuffle(len(qs), func(i, j int) { qs[i], qs[j] = qs[j], qs[i] })
	at := calendar.At(time.Now())
	next, allowed := 0, false
	ours, theirs, err := inTurn(1000, func() error {
		next++
		d, err := s.Check(qs[next])
		allowed = d.Allowed
		return err
	}, func() error {
		q := qs[next]
		user, _ := s.FindUser(q.User)
		app, _ := s.FindApplication(q.Application)
		var got bool
		if err := conn.QueryRow(ctx, demo.Rival, uint32(user), uint32(app), q.Action, q.Path, int64(at)).Scan(&got); err != nil {
			return err
		}
		if got != allowed {
			return fmt.Errorf("%+v: the core says %v, the query %v", q, allowed, got)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return []line{{"the same check as a recursive query, 100,000 users, against the core", theirs.String(), ours.String(), ratio(theirs.p50(), ours.p50()), "equal answers"}}, nil
}
