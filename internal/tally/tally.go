// Package tally counts what applications in rehearsal let through that live
// would deny, by user, action and path: so that their owner sees who would lose
// what before going live; and the paths asked about that are not registered. The counts lie outside the ledger on purpose; they
// are capped, flushed every few seconds, and may lose that much.
package tally

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Key is what is counted apart.
type Key struct {
	Kind        Kind
	Application access.ApplicationID
	User        access.UserID
	Action      string
	Path        string
}

// Kind is what is counted.
type Kind string

// What is counted.
const (
	// Rehearsed is what a rehearsal let through and live would deny, and what it
	// denied with nobody signed in.
	Rehearsed Kind = "rehearsed"
	// Unknown is a path that is not registered, whoever asked.
	Unknown Kind = "unknown"
)

// Count is how often, and when last.
type Count struct {
	Key
	Times int64
	Last  time.Time
}

const (
	mostWaiting = 10_000 // keys between two flushes; more are not counted
	mostKept    = 50_000 // keys of one application
	flushEvery  = 2 * time.Second
)

// Tally counts in memory and flushes to PostgreSQL.
type Tally struct {
	pool *pgxpool.Pool
	log  *slog.Logger

	mu      sync.Mutex
	waiting map[Key]*Count

	stop context.CancelFunc
	done chan struct{}
}

// Open begins to flush, until Close.
func Open(pool *pgxpool.Pool, log *slog.Logger) *Tally {
	run, cancel := context.WithCancel(context.Background())
	t := &Tally{pool: pool, log: log, waiting: map[Key]*Count{}, stop: cancel, done: make(chan struct{})}
	go t.run(run)
	return t
}

// Close flushes what waits and stops.
func (t *Tally) Close() {
	t.stop()
	<-t.done
}

// Add counts one.
func (t *Tally) Add(k Key, at time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	c := t.waiting[k]
	if c == nil {
		if len(t.waiting) >= mostWaiting {
			return
		}
		c = &Count{Key: k}
		t.waiting[k] = c
	}
	c.Times++
	c.Last = at
}

func (t *Tally) run(ctx context.Context) {
	defer close(t.done)
	for {
		select {
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			t.flush(last)
			return
		case <-time.After(flushEvery):
			t.flush(ctx)
		}
	}
}

func (t *Tally) flush(ctx context.Context) {
	t.mu.Lock()
	waiting := t.waiting
	t.waiting = map[Key]*Count{}
	t.mu.Unlock()
	if len(waiting) == 0 {
		return
	}
	var b pgx.Batch
	for _, c := range waiting {
		b.Queue(`insert into rehearsal (application, user_id, action, path, times, last_at, kind)
			select $1, $2, $3, $4, $5, $6, $8 where (select count(*) from rehearsal where application = $1 and kind = $8) < $7
			on conflict (application, kind, user_id, action, path) do update set times = rehearsal.times + excluded.times, last_at = excluded.last_at`,
			uint32(c.Application), uint32(c.User), c.Action, c.Path, c.Times, c.Last, mostKept, string(c.Kind))
	}
	if err := t.pool.SendBatch(ctx, &b).Close(); err != nil {
		t.log.Warn("counts of rehearsals were lost", "keys", len(waiting), "error", err)
	}
}

// Of are the counts of one kind of an application, those not flushed yet too,
// most first.
func (t *Tally) Of(ctx context.Context, kind Kind, app access.ApplicationID) ([]Count, error) {
	t.flush(ctx)
	rows, err := t.pool.Query(ctx, `select user_id, action, path, times, last_at from rehearsal where application = $1 and kind = $2
		order by times desc, user_id, action, path`, uint32(app), string(kind))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (c Count, err error) {
		c.Kind, c.Application = kind, app
		return c, r.Scan((*uint32)(&c.User), &c.Action, &c.Path, &c.Times, &c.Last)
	})
}
