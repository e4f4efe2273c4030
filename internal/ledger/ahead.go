package ledger

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/stream"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"go.opentelemetry.io/otel/trace"
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
	clock    *clockReading // by which it is judged
	w        writer
	done     chan struct{} // closed once all are answered
}

type outcome struct {
	Committed
	err error
}

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
	a.w = writer{head: a.base, revision: a.base.Revision, at: a.base.At.Time(), epoch: l.epoch, ledger: l, behind: l.Lagging()}
	if before != nil {
		a.w.before = before.done
	}
	if clock == nil || time.Since(clock.when) > clockLasts || len(group) == 1 && group[0].staged != nil {
		return a
	}
	defer l.took("judge", time.Now())
	a.w.beside = stream.StartReader(groupMost)
	a.clock = clock
	for _, p := range a.group {
		a.judge(p)
	}
	return a
}

// judge judges one of the group, after those before it.
func (a *attempt) judge(p *pending) {
	a.w.now = a.clock.said.Add(time.Since(a.clock.when))
	r, err := a.w.add(p)
	a.outcomes = append(a.outcomes, outcome{r, err})
}

// fewOperations is up to how many operations of a change others wait while it is judged with
// theirs.
const fewOperations = 20

// handOver gives a group to whoever writes. As long as the one before is being written, those who
// come join it, and need not wait for one more: what a transaction costs is shared by more. next
// is one who came and goes by themselves, nil for nobody.
func (l *Ledger) handOver(a *attempt) (next *pending) {
	queue := l.queue
	if a.outcomes == nil || a.w.stream != nil || len(a.group) >= groupMost {
		queue = nil
	}
	for {
		select { // nobody who is judged waits for one more, once they can be written
		case l.writes <- a:
			a.w.beside.End()
			return next
		default:
		}
		select {
		case l.writes <- a:
			a.w.beside.End()
			return next
		case p, ok := <-queue:
			switch {
			case !ok:
				queue = nil
			case p.staged != nil || len(p.change.Operations) > fewOperations:
				queue, next = nil, p
			case p.ctx.Err() != nil:
				p.answer(Committed{}, p.ctx.Err())
			default:
				began := time.Now()
				a.group = append(a.group, p)
				a.judge(p)
				l.took("judge", began)
				if len(a.group) == groupMost {
					queue = nil
				}
			}
		}
	}
}

// traced is a context of nobody's, in the trace of the first of the group.
func (a *attempt) traced() context.Context {
	if len(a.group) == 0 {
		return context.Background()
	}
	return trace.ContextWithSpan(context.Background(), trace.SpanFromContext(a.group[0].ctx))
}

// answer answers all of the group: with what was judged, or that the database
// cannot be reached.
func (a *attempt) answer(err error) {
	for i, p := range a.group {
		switch {
		case err != nil:
			p.answer(Committed{}, database.Unavailable(err))
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
	if a.outcomes == nil {
		return false, nil
	}
	if err := a.w.beside.Wait(); err != nil {
		// Judged again, each is read back at once, and the one at fault refused alone.
		l.log.Error("reads back differently", "error", err)
		return false, nil
	}
	if s := a.w.stream; s != nil {
		if !s.Ready() {
			return false, nil
		}
	}
	head := l.head.Load()
	if head.snapshot != a.base {
		return false, nil
	}
	if known, err := a.keysKnown(ctx, l.pool); known || err != nil {
		return false, err
	}
	if !a.w.moved() { // nothing to write: is it so at the newest head?
		var newest int64
		err := l.pool.QueryRow(ctx, sqlHeadRevision).Scan(&newest)
		return err == nil && newest == a.base.Revision, err
	}
	var conn *pgxpool.Conn
	var b pgx.Batch
	if a.w.stream != nil {
		conn = a.w.stream.Take()
	} else {
		if conn, err = l.pool.Acquire(ctx); err != nil {
			return false, err
		}
		if a.w.alone = !a.w.Many(); !a.w.alone {
			b.Queue("begin")
		}
	}
	defer conn.Release()
	a.w.hash = head.hash
	if err := l.finish(ctx, conn, &a.w, &b); err != nil {
		if judgeAgain(err) {
			if rowsDiffer(err) {
				l.Lag(!a.w.behind)
			}
			err = nil
		}
		return false, errors.Join(err, database.Rollback(ctx, conn))
	}
	return true, nil
}

// keysKnown says whether any of a group that writes nothing was committed before
// under its key: it may be so, or be refused, for that very reason. The keys of
// what is written are looked up by writing them.
func (a *attempt) keysKnown(ctx context.Context, q factrows.Querier) (bool, error) {
	var callers []int32
	var keys []string
	for i, o := range a.outcomes {
		if c := a.group[i].change; c.Key != "" && (o.err != nil || o.Unchanged) {
			callers, keys = append(callers, int32(c.Author)), append(keys, c.Key)
		}
	}
	if len(keys) == 0 {
		return false, nil
	}
	found, err := factrows.Numbers(ctx, q, `select 1 from idempotency i join unnest($1::integer[], $2::text[]) k(caller, key) using (caller, key)`, callers, keys)
	return len(found) > 0, err
}

// judgeAgain says whether a transaction failed since the head had moved, or a
// change was committed before under its key: neither is known ahead.
func judgeAgain(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && (pg.Code == "AR001" || rowsDiffer(err) || pg.Code == "23505" && pg.ConstraintName == "idempotency_pkey")
}

// rowsDiffer says whether a transaction failed since the fact rows do not reach the head, or
// do so again: otherwise than was thought.
func rowsDiffer(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "AR002"
}
