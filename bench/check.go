package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
)

// checkQuestions are drawn uniformly over users, applications, actions and
// registered paths, so many that caches do not learn them; about half of them
// are denied.
func checkQuestions(s *access.Snapshot, users, n int) []access.Question {
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
	at := calendar.At(time.Now())
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

// asker asks a batch of questions at a time, each with its texts at hand, as
// somebody has them who has just read the question off the wire.
type asker struct {
	s         *access.Snapshot
	questions []access.Question
	next      int
	batch     []access.Question
	names     []byte
}

const batch = 100 // one clock reading would cost as much as the check

func (a *asker) read() {
	a.batch, a.names = a.batch[:0], a.names[:0]
	for range batch {
		q := a.questions[a.next%len(a.questions)]
		a.next++
		from := len(a.names)
		a.names = append(a.names, q.User...)
		q.User = string(a.names[from:])
		a.batch = append(a.batch, q)
	}
}

func (a *asker) ask() error {
	for i := range a.batch {
		if _, err := a.s.Check(a.batch[i]); err != nil {
			return err
		}
	}
	return nil
}

func (a *asker) task() task { return task{a.read, a.ask} }

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
	const n = 200_000
	as := &asker{s: small, questions: checkQuestions(small, 1_000, n)}
	al := &asker{s: large, questions: checkQuestions(large, 100_000, n)}
	// Alone first, as in a service: an organisation asked about by turns with
	// another finds less of itself in the caches.
	alone, err := byTurns(2*n/batch, al.task())
	if err != nil {
		return nil, err
	}
	all, err := byTurns(2*n/batch, as.task(), al.task())
	if err != nil {
		return nil, err
	}
	for _, s := range append(alone, all...) {
		for k := range s {
			s[k] /= batch
		}
	}
	ss, sl := all[0], all[1]
	allocs := testing.AllocsPerRun(1000, func() { _ = al.ask() })
	return []line{{"one check in the core, 100,000 users and 500,000 assignments", alone[0].String(), "", "", "aim: 500 ns"}, {"one check in the core, 100,000 users against 1,000", sl.String(), ss.String(), ratio(sl.p50(), ss.p50()),
		fmt.Sprintf("%.1f allocations each; half denied; means of %d", allocs/batch, batch)}}, nil
}
