package ledger

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/access"
)

// While PostgreSQL writes one group of changes the next is judged already, on
// the snapshot the group before will leave. If that does not come about, since
// another program committed in between or the database went away, what was
// judged ahead is thrown away and judged again at the locked head.

// attempt is a group of changes judged ahead.
type attempt struct {
	group    []*pending
	outcomes []outcome // of each of the group; nil when nothing was judged
	base     *access.Snapshot
	w        writer
	done     chan struct{} // closed once all are answered
}

type outcome struct {
	Committed
	err error
}

// clockReading is what the database's clock said, and when.
type clockReading struct{ said, when time.Time }

// ahead judges a group on what the attempt before will leave behind. Whoever
// has gone away is left out.
func (l *Ledger) ahead(before *attempt, group []*pending) *attempt {
	a := &attempt{base: l.Head(), done: make(chan struct{})}
	if before != nil {
		if l.derailed.Load() { // what it was to leave may never be
			<-before.done
			l.derailed.Store(false)
		}
		select {
		case <-before.done:
			a.base = l.Head()
		default:
			a.base = before.w.head
		}
	}
	for _, p := range group {
		if err := p.ctx.Err(); err != nil {
			p.answer(Committed{}, err)
		} else {
			a.group = append(a.group, p)
		}
	}
	clock := l.clock.Load()
	a.w = writer{head: a.base, revision: a.base.Revision, at: a.base.At.Time()}
	if clock == nil { // the first since the start
		return a
	}
	a.w.now = clock.said.Add(time.Since(clock.when))
	for _, p := range a.group {
		r, err := a.w.add(p)
		a.outcomes = append(a.outcomes, outcome{r, err})
	}
	return a
}

// answer answers all of the group: with what was judged, or that the database
// cannot be reached.
func (a *attempt) answer(err error) {
	for i, p := range a.group {
		switch {
		case err != nil:
			p.answer(Committed{}, unavailable(err))
		default:
			p.answer(a.outcomes[i].Committed, a.outcomes[i].err)
		}
	}
}

// writeAhead commits what was judged ahead, if the head is still the one it was
// judged at. done is false when it has to be judged again.
func (l *Ledger) writeAhead(ctx context.Context, a *attempt) (done bool, err error) {
	if len(a.group) == 0 {
		return true, nil
	}
	if a.outcomes == nil || l.Head() != a.base {
		return false, nil
	}
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return false, err
	}
	defer conn.Release()
	now := writer{}
	if err := l.lock(ctx, conn, &now); err != nil {
		return false, errors.Join(err, rollback(ctx, conn))
	}
	known, err := keysKnown(ctx, conn, a.group)
	if err != nil || known || now.revision != a.base.Revision || !a.w.moved() {
		return err == nil && !known && now.revision == a.base.Revision, errors.Join(err, rollback(ctx, conn))
	}
	a.w.hash = now.hash
	if err := a.w.finish(ctx, conn); err != nil {
		return false, errors.Join(err, rollback(ctx, conn))
	}
	l.publish(a.w.head)
	return true, nil
}

// keysKnown says whether any of a group was committed before under its key.
func keysKnown(ctx context.Context, q querier, group []*pending) (bool, error) {
	var callers []int32
	var keys []string
	for _, p := range group {
		if p.change.Key != "" {
			callers, keys = append(callers, int32(p.change.Author)), append(keys, p.change.Key)
		}
	}
	if len(keys) == 0 {
		return false, nil
	}
	found, err := numbers(ctx, q, `select 1 from idempotency i join unnest($1::integer[], $2::text[]) k(caller, key) using (caller, key)`, callers, keys)
	return len(found) > 0, err
}
