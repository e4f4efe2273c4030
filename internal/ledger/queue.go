package ledger

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"ableroster/internal/caught"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/stream"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// pending is a change that waits in the queue.
type pending struct {
	ctx    context.Context
	change *Change
	judge  Judge
	staged *staged // a large one that is to be published; nil: it is judged now
	result Committed
	err    error
	done   chan struct{}
}

func (p *pending) answered() bool {
	select {
	case <-p.done:
		return true
	default:
		return false
	}
}

func (p *pending) answer(c Committed, err error) {
	p.result, p.err = c, err
	close(p.done)
}

const (
	groupMost   = 256
	commitLimit = 30 * time.Second
)

// commits is the one queue: it takes what waits, to be committed together.
func (l *Ledger) commits() {
	defer l.done.Done()
	defer close(l.writes)
	var last *attempt
	var next *pending // who was taken from the queue, and not judged yet
	for {
		p := next
		if next = nil; p == nil {
			var ok bool
			if p, ok = <-l.queue; !ok {
				return
			}
		}
		group := []*pending{p}
		var large []*pending // to be published: each by itself
	gather:
		for len(group) < groupMost {
			select {
			case q, ok := <-l.queue:
				if !ok {
					break gather
				}
				group = append(group, q)
			default:
				break gather
			}
		}
		group = slices.DeleteFunc(group, func(p *pending) bool {
			if p.staged != nil {
				large = append(large, p)
			}
			return p.staged != nil
		})
		if len(group) > 0 {
			next = l.judgeAhead(&last, group)
		}
		for _, p := range large {
			l.judgeAhead(&last, []*pending{p})
			<-last.done // what is judged next builds on it
		}
	}
}

// judgeAhead judges a group and hands it over to be written. next is who came meanwhile and is to
// be judged by themselves.
func (l *Ledger) judgeAhead(last **attempt, group []*pending) (next *pending) {
	if err := caught.Do(func() error { *last = l.ahead(*last, group); return nil }); err != nil {
		l.log.Error("panic while judging", "error", err)
		for _, p := range group {
			if !p.answered() {
				p.answer(Committed{}, err)
			}
		}
		return nil
	}
	return l.handOver(*last)
}

func (l *Ledger) commitGroup(a *attempt) {
	defer close(a.done)
	// Not the callers' contexts: one of them going away must not break off
	// what the others wait for.
	ctx, cancel := context.WithTimeout(a.traced(), commitLimit)
	defer cancel()
	defer a.w.stream.Drop()
	defer l.survive(a)
	done, err := l.writeAhead(ctx, a)
	l.derailed.Store(l.derailed.Load() || !done)
	if done || err != nil {
		l.couldNot(err)
		a.answer(err)
		return
	}
	a.w.stream.Drop() // or what is written anew would wait for it
	err = l.tryGroup(ctx, &a.group)
	for errors.Is(err, stream.ErrMoved) && ctx.Err() == nil {
		err = l.tryGroup(ctx, &a.group)
	}
	l.couldNot(err)
	for _, p := range a.group { // whoever is not answered yet
		p.answer(Committed{}, database.Unavailable(err))
	}
}

// couldNot says in the log why changes could not be written.
func (l *Ledger) couldNot(err error) {
	if err != nil && l.Lost() == "" {
		l.log.Warn("changes could not be written", "error", err)
	}
}

// survive answers a group whose writing panicked: what became of it is known once the
// head is read anew.
func (l *Ledger) survive(a *attempt) {
	v := recover()
	if v == nil {
		return
	}
	err := caught.Do(func() error { panic(v) })
	l.log.Error("panic while committing", "error", err)
	l.derailed.Store(true)
	for _, p := range a.group {
		if !p.answered() {
			p.answer(Committed{}, err)
		}
	}
}

// tryGroup judges a group at the head, once that is locked, and commits it.
func (l *Ledger) tryGroup(ctx context.Context, group *[]*pending) error {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	w := writer{epoch: l.epoch, conn: conn.Conn()}
	if err := l.lock(ctx, conn, &w, large(*group)); err != nil {
		return errors.Join(err, database.Rollback(ctx, conn))
	}
	if w.revision > l.Head().Revision {
		// Another program has committed since; none can while we hold the lock.
		if err := l.advance(ctx); err != nil {
			return errors.Join(err, database.Rollback(ctx, conn))
		}
	}
	head := l.head.Load()
	if !head.is(w.revision, w.hash) {
		_ = database.Rollback(ctx, conn)
		// Revisions were lost, or this transaction was ended meanwhile, and others went on.
		err := database.Read(ctx, l.pool, func(tx pgx.Tx) error { return l.stands(ctx, tx, head) })
		return cmp.Or(err, stream.ErrMoved)
	}
	w.head = head.snapshot
	var won []*pending
	var results []Committed
	for i, p := range *group {
		r, err := w.repeated(ctx, conn, p.change)
		before := r.Repeated // by a change that is in the ledger; else it stands with this transaction
		if err == nil && !before {
			r, err = w.add(p)
		}
		var lost *lostError
		switch {
		case errors.As(err, &lost):
			// The connection, not the change, is at fault.
			*group = append(won, (*group)[i:]...)
			return errors.Join(err, database.Rollback(ctx, conn))
		case err != nil:
			p.answer(Committed{}, err)
		case r.Unchanged && !w.moved() || before:
			p.answer(r, nil)
		default:
			won = append(won, p)
			results = append(results, r)
		}
	}
	*group = won
	if len(won) == 0 || !w.moved() {
		for i, p := range won {
			p.answer(results[i], nil)
		}
		*group = nil
		return database.Rollback(ctx, conn)
	}
	if err := l.finish(ctx, conn, &w, new(pgx.Batch)); err != nil {
		return errors.Join(err, database.Rollback(ctx, conn))
	}
	*group = nil
	for i, p := range won {
		p.answer(results[i], nil)
	}
	return nil
}

// lostError wraps an error of the connection.
type lostError struct{ error }

func (e *lostError) Unwrap() error { return e.error }

// large says whether judging a group may take long.
func large(group []*pending) bool {
	n := 0
	for _, p := range group {
		n += len(p.change.Operations)
	}
	return n >= stream.StreamFrom
}

// lock begins a transaction that holds the head, and reads it and the clock; long says
// that it may stand for long.
func (l *Ledger) lock(ctx context.Context, conn *pgxpool.Conn, w *writer, long bool) error {
	defer l.took("wait", time.Now())
	var b pgx.Batch
	b.Queue("begin")
	if long {
		b.Queue(database.LongIdle)
	}
	b.Queue(database.SQLLockHead)
	r := conn.SendBatch(ctx, &b)
	defer r.Close()
	for range b.Len() - 1 {
		if _, err := r.Exec(); err != nil {
			return err
		}
	}
	var reached int64
	if err := r.QueryRow().Scan(&w.revision, &w.hash, &w.at, &w.now, &reached); err != nil {
		return err
	}
	w.behind = reached != w.revision
	l.readClock(w.now)
	return r.Close()
}
