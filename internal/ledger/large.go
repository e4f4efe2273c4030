package ledger

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/people"
	"ableroster/internal/pace"
	"ableroster/internal/prepared"
)

// A large change harms nobody: it is judged on a snapshot in the goroutine of whoever makes
// it and written beside the ledger (staging.go) while others commit; every program prepares
// it (prepare.go); then it becomes a revision at once. Its fact rows follow (rowsfill.go).
// What others did meanwhile is taken in; where that makes a difference, it is judged again.

// StagedFrom is from how many operations on a change is judged beside the others: judging
// fewer keeps nobody waiting.
const StagedFrom = 1000

// mostRounds is how often a large change is judged beside the others: the last time changes of
// roles, groups, rules and applications wait meanwhile. After that it is judged in its turn,
// and all others wait for it.
const mostRounds = 3

// mostMoved is of how many users, whom others gave something meanwhile, a change is looked at
// again while the head is held.
const mostMoved = 500

// errAgain says that a large change has to be judged once more.
var errAgain = errors.New("the change has to be judged again")

// commitLarge makes a large change. done is false for one that has to be judged in its turn
// with the others.
func (l *Ledger) commitLarge(ctx context.Context, c *Change, judge Judge) (r Committed, done bool, err error) {
	if r, err := l.madeBefore(ctx, c); r.Repeated || err != nil {
		return r, true, err
	}
	turn, err := l.takeTurn(ctx, c)
	if err != nil {
		return r, true, err
	}
	defer turn.end()
	for round := range mostRounds {
		if round == mostRounds-1 {
			if _, err := turn.conn.Exec(ctx, sqlLock, database.LockClass, database.LockModel); err != nil {
				return r, true, unavailableUnless(ctx, err)
			}
		}
		var s *staged
		err := caught.Do(func() (err error) { // an operation may panic, too
			s, err = turn.stage(ctx, c, judge)
			return err
		})
		if err != nil || s == nil {
			return r, err != nil, err
		}
		r, err := l.publishLarge(ctx, c, judge, s)
		if err != nil || r.Repeated {
			l.giveUp(s.id)
		}
		if !errors.Is(err, errAgain) {
			return r, true, err
		}
		l.log.Info("a large change is judged again", "why", err, "operations", len(c.Operations))
	}
	return r, false, nil
}

// ErrHeld is returned for a change of roles, groups, rules or applications that waited too
// long for a large change.
var ErrHeld = errors.New("a large change is being made that roles, groups, rules and applications must stay as they are for")

// heldMost is how long it waits.
const heldMost = 30 * time.Second

// unheld waits until a change that may bear on how others are judged can be made beside the
// large one that is being made, if any is in its last round.
func (l *Ledger) unheld(ctx context.Context, c *Change) error {
	if !prepared.MayBear(c.Operations) {
		return nil
	}
	for until := time.Now().Add(heldMost); ; {
		var held bool
		if err := l.pool.QueryRow(ctx, sqlHeld, database.LockClass, database.LockModel).Scan(&held); err != nil {
			return unavailableUnless(ctx, err)
		}
		switch {
		case !held:
			return nil
		case time.Now().After(until):
			return ErrHeld
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// madeBefore looks a change up by its key.
func (l *Ledger) madeBefore(ctx context.Context, c *Change) (Committed, error) {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return Committed{}, database.Unavailable(err)
	}
	defer conn.Release()
	var w writer
	r, err := w.repeated(ctx, conn, c)
	if errors.Is(err, ErrKeyReused) {
		return r, err
	}
	return r, database.Unavailable(err)
}

// staged is a large change that was judged and lies ready.
type staged struct {
	l      *Ledger
	id     int64
	change *prepared.Change
	draft  *change.Draft
	ops    []change.Operation
	digest string
	began  time.Time
}

// stage judges a change on the newest snapshot and writes it beside the ledger. It is nil for
// one that cannot wait beside others.
func (t *turn) stage(ctx context.Context, c *Change, judge Judge) (s *staged, err error) {
	l := t.l
	base, at := l.Head(), calendar.At(l.Now())
	s = &staged{l: l, ops: make([]change.Operation, len(c.Operations)), began: time.Now()}
	begun := prepared.Begin(base)
	d := begun.Draft
	d.Author, d.Calm = c.Author, pace.GiveWay
	if c.Prepare != nil {
		c.Prepare(d, at)
	}
	s.draft = d
	for i, op := range c.Operations {
		if err := c.Watched(i); err != nil {
			return nil, err
		}
		if _, erases := op.(*people.EraseUser); erases {
			return nil, nil
		}
		s.ops[i] = begun.Apply(op, at)
	}
	d.Finish()
	if len(d.Faults) > 0 {
		return nil, judge(d, at)
	}
	seals, err := revisions.SealDraft(d)
	if err != nil {
		return nil, err
	}
	var ok bool
	if s.change, ok = prepared.Of(begun); !ok || len(s.change.Changes) == 0 {
		return nil, nil
	}
	w, err := t.write(ctx, s, base, at, seals)
	if err != nil {
		return nil, err
	}
	defer w.s.Stop()
	if err = caught.Do(func() error { return judge(d, at) }); err == nil {
		s.digest, err = w.through(func(done int) error { return c.watched(Writing, done) })
	}
	if err == nil {
		err = t.ready(ctx, s)
	}
	if err == nil {
		err = t.others(ctx, s, func() error { return c.watched(Preparing, 0) })
	}
	if err == nil {
		err = <-w.s.ReadsBack
	}
	if err == nil {
		err = c.watched(Publishing, len(s.ops))
	}
	if err != nil {
		w.s.Drop() // nothing more is written of it
		l.giveUp(s.id)
		return nil, err
	}
	return s, nil
}

// publishLarge has a change that lies ready become a revision, in its turn.
func (l *Ledger) publishLarge(ctx context.Context, c *Change, judge Judge, s *staged) (Committed, error) {
	l.staging.Store(s.id)
	defer l.staging.Store(0)
	return l.enqueue(&pending{ctx: context.WithoutCancel(ctx), change: c, judge: judge, staged: s})
}

// publish gathers the revision that a large change becomes. The head is held.
func (w *writer) publish(p *pending) (Committed, error) {
	s, c := p.staged, p.change
	l, base, at := s.l, w.head, w.tick()
	ctx, cancel := context.WithTimeout(context.WithoutCancel(l.run), commitLimit) // what waits is committed before the program ends
	defer cancel()
	if err := takeIn(ctx, w.conn, s.change, base.Revision); err != nil {
		return Committed{}, again(err)
	}
	if err := s.change.Fits(base, at); err != nil {
		return Committed{}, again(err)
	}
	moved := s.change.Moved()
	if len(moved) > mostMoved {
		return Committed{}, again(prepared.ErrClash)
	}
	if c.Rejudge != nil {
		d := s.change.Again(base, func(d *change.Draft) {
			if c.Prepare != nil {
				c.Prepare(d, at)
			}
		})
		switch err := c.Rejudge(d, s.change.After(), at); {
		case errors.Is(err, prepared.ErrModel):
			return Committed{}, again(err)
		case err != nil:
			return Committed{}, err
		}
	}
	revision := base.Revision + 1
	why := revisions.Seal([]byte(c.Reason))
	doc := revisions.Document{Version: revisions.Format, Revision: revision, At: at, Recorded: at, Epoch: w.epoch, IDs: s.draft.Took(), Operations: len(s.ops),
		Author: c.Author.String(), Via: c.Via, Reason: fmt.Sprintf("%x", why.Digest), Reference: c.Reference, Digest: s.digest}
	canonical, err := doc.Canonical()
	if err != nil {
		return Committed{}, err
	}
	w.revise(&doc, c, why, canonical, s.id)
	w.ends(s.change.Changes)
	w.large, w.head = s, s.change.Number(revision, at)
	return Committed{Revision: revision, At: at, Draft: s.draft, Operations: s.ops}, nil
}

// again says that a change has to be judged once more, where that is why it cannot be
// published.
func again(err error) error {
	if errors.Is(err, prepared.ErrClash) || errors.Is(err, prepared.ErrModel) {
		return fmt.Errorf("%w: %w", errAgain, err)
	}
	return &lostError{err}
}

// takeIn has a prepared change follow the revisions up to one.
func takeIn(ctx context.Context, q factrows.Querier, c *prepared.Change, to int64) error {
	for c.Revision() < to {
		// No more than these: what follows may be the change itself.
		revs, err := revisions.Read(ctx, q, c.Revision(), int(min(200, to-c.Revision())), 0)
		if err != nil {
			return err
		}
		if len(revs) == 0 {
			return fmt.Errorf("revision %d is missing", c.Revision()+1)
		}
		for i := range revs {
			r := &revs[i]
			apply := func(s *access.Snapshot) (*change.Draft, error) { return revisions.Replay(s, r) }
			if err := c.Follow(apply, r.Operations, r.Revision, r.At); err != nil {
				return err
			}
		}
	}
	return nil
}
