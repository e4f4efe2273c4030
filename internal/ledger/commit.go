package ledger

import (
	"context"
	"errors"
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/trace"
)

// Change is a list of operations with a reason, made together or not at all.
type Change struct {
	Author     fact.UserID // 0 is the host itself
	AuthorName string      // instead of Author, in LoadHistory
	Via        string      // console, api, command line, set-up …
	Reason     string
	Reference  string // where the work was asked for, or nothing
	Operations []change.Operation

	// Prepare sets in a draft, before anything is applied to it, what its author may
	// know and do; nil leaves it at everything. It is called once for each head the
	// change is judged on, by the goroutine that judges.
	Prepare func(*change.Draft, calendar.Instant)

	// Claimed is when history loaded into an empty ledger says it happened;
	// zero for now.
	Claimed calendar.Instant

	// Key makes asking twice safe: a second change by the same author with
	// the same key and the same Request is answered with the first's revision.
	Key     string
	Request []byte // digest of what was asked

	// Rejudge looks at a large change once more before it is published: d is what it does
	// to the users whom others gave something meanwhile, upon the newest snapshot, and
	// after is what the whole leaves. An error refuses the change; prepared.ErrModel has the
	// whole judged again. Nil refuses nothing.
	Rejudge func(d *change.Draft, after *access.Snapshot, at calendar.Instant) error

	// Watch hears now and then how far the change is: in which phase, and how many
	// operations of it were done then, of how many. An error refuses the change. Nil hears
	// nothing.
	Watch func(phase Phase, done, of int) error
}

// Phase is what is done with a change.
type Phase string

// The phases of a change, in their order. A small one has none but the first.
const (
	Judging    Phase = "working out the effect"
	Waiting    Phase = "waiting for another large change"
	Writing    Phase = "writing"
	Preparing  Phase = "readying all services"
	Publishing Phase = "publishing"
)

// watchEvery is after how many operations a watcher hears of them.
const watchEvery = 256

// Watched tells a watcher that i operations were applied.
func (c *Change) Watched(i int) error {
	if i%watchEvery != 0 && i != len(c.Operations) {
		return nil
	}
	return c.watched(Judging, i)
}

func (c *Change) watched(phase Phase, done int) error {
	if c.Watch == nil {
		return nil
	}
	return c.Watch(phase, done, len(c.Operations))
}

// Judge decides on a change whose operations have been applied to the head:
// it looks at the draft's faults, the author's authority and the guard rails.
// An error refuses the change.
type Judge func(d *change.Draft, at calendar.Instant) error

// noFaults is the judge of the host itself.
func noFaults(d *change.Draft, _ calendar.Instant) error {
	if len(d.Faults) > 0 {
		return &d.Faults[0]
	}
	return nil
}

// Committed is a change that is in the ledger, or needs no place in it.
type Committed struct {
	Revision  int64
	At        calendar.Instant
	Unchanged bool // the facts were so already; Revision is the head's
	Repeated  bool // the same change was committed before under the same key
	Draft     *change.Draft

	// Operations are those of the change as they were applied, with ids.
	Operations []change.Operation
}

// ErrKeyReused is returned for an idempotency key used with another change.
var ErrKeyReused = errors.New("this idempotency key was used for another change")

// ErrNotEmpty is returned for dated history offered to a ledger that has some.
var ErrNotEmpty = errors.New("the ledger has revisions already")

// Commit judges a change at the head and puts it into the ledger. It returns
// once PostgreSQL has it, or it was refused, or the database is away.
func (l *Ledger) Commit(ctx context.Context, c *Change, judge Judge) (Committed, error) {
	ctx, span := otel.Tracer("ableroster/ledger").Start(ctx, "commit", trace.WithAttributes(attribute.Int("able_roster.operations", len(c.Operations))))
	defer span.End()
	if why := l.Lost(); why != "" {
		return Committed{}, fmt.Errorf("%w: %s", database.ErrLost, why)
	}
	if len(c.Operations) >= StagedFrom && c.Claimed == 0 {
		if r, done, err := l.commitLarge(ctx, c, judge); done || err != nil {
			return r, err
		}
	}
	if err := l.unheld(ctx, c); err != nil {
		return Committed{}, err
	}
	r, err := l.enqueue(&pending{ctx: ctx, change: c, judge: judge})
	if err == nil && r.Unchanged && !r.Repeated && c.Key != "" {
		return l.nothingToDo(ctx, c, r)
	}
	return r, err
}

// enqueue has a change committed in its turn.
func (l *Ledger) enqueue(p *pending) (Committed, error) {
	p.done = make(chan struct{})
	l.gate.RLock()
	if l.shut {
		l.gate.RUnlock()
		return Committed{}, ErrClosed
	}
	l.queue <- p
	l.gate.RUnlock()
	<-p.done
	return p.result, p.err
}

// Known says whether a change was made before under its key, and as what.
func (l *Ledger) Known(ctx context.Context, c *Change) (Committed, bool, error) {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return Committed{}, false, database.Unavailable(err)
	}
	defer conn.Release()
	var w writer
	r, err := w.repeated(ctx, conn, c)
	if errors.Is(err, ErrKeyReused) {
		return r, true, nil
	}
	return r, r.Repeated, database.Unavailable(err)
}

// nothingToDo keeps that a change had nothing to do, so that it does nothing when it
// is sent again under its key; what was kept first is the answer.
func (l *Ledger) nothingToDo(ctx context.Context, c *Change, r Committed) (Committed, error) {
	tag, err := l.pool.Exec(ctx, `insert into idempotency (caller, key, request, revision, unchanged) values ($1, $2, $3, $4, true) on conflict do nothing`,
		uint32(c.Author), c.Key, c.Request, r.Revision)
	if err != nil || tag.RowsAffected() > 0 {
		return r, database.Unavailable(err)
	}
	w := writer{}
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return Committed{}, database.Unavailable(err)
	}
	defer conn.Release()
	first, err := w.repeated(ctx, conn, c)
	return first, database.Unavailable(err)
}
