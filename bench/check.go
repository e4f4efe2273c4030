package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
)

// questions are drawn uniformly over users, applications, actions and
// registered paths, so many that caches do not learn them; about half of them
// are denied.
func questions(s *access.Snapshot, users, n int) []access.Question {
	rng := rand.New(rand.NewPCG(1, 2))
	type target struct{ app, action, path string }
	var targets []target
	for a := range s.Applications() {
		if a.Key == "able-roster" {
			continue
		}
		for _, r := range s.Resources(a.ID) {
			for _, x := range a.Actions {
				targets = append(targets, target{a.Key, x.Key, r.Path})
			}
		}
	}
	at := access.At(time.Now())
	var allowed, denied []access.Question
	for len(allowed) < n/2 || len(denied) < n/2 {
		t := targets[rng.IntN(len(targets))]
		q := access.Question{User: demo.UserName(rng.IntN(users)), Application: t.app, Action: t.action, Path: t.path, At: at}
		if d, err := s.Check(q); err == nil && d.Allowed && len(allowed) < n/2 {
			allowed = append(allowed, q)
		} else if err == nil && !d.Allowed && len(denied) < n/2 {
			denied = append(denied, q)
		}
	}
	out := append(allowed, denied...)
	rng.Shuffle(len(out), func(i, j int) { out[i], out[j] = out[j], out[i] })
	return out
}

// checks measures one check in the core, names and paths as strings.
func checks(context.Context, string) ([]line, error) {
	small, err := snapshot(1_000)
	if err != nil {
		return nil, err
	}
	large, err := snapshot(100_000)
	if err != nil {
		return nil, err
	}
	const n, batch = 200_000, 100
	qs, ql := questions(small, 1_000, n), questions(large, 100_000, n)
	i, j := 0, 0
	// One clock reading would cost as much as the check: a hundred at a time.
	ss, sl, err := inTurn(2*n/batch,
		func() error { return ask(small, qs, &i, batch) },
		func() error { return ask(large, ql, &j, batch) })
	if err != nil {
		return nil, err
	}
	for k := range ss {
		ss[k], sl[k] = ss[k]/batch, sl[k]/batch
	}
	k := 0
	allocs := testing.AllocsPerRun(1000, func() { _ = ask(large, ql, &k, 1) })
	return []line{{"one check in the core, 100,000 users against 1,000", sl.String(), ss.String(), ratio(sl.p50(), ss.p50()),
		fmt.Sprintf("%.1f allocations each; half denied; means of %d", allocs, batch)}}, nil
}

func ask(s *access.Snapshot, qs []access.Question, i *int, n int) error {
	for range n {
		if _, err := s.Check(qs[*i%len(qs)]); err != nil {
			return err
		}
		*i++
	}
	return nil
}
