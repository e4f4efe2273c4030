// Package tally counts what applications in rehearsal let through that live
// would deny, by user, action and path: so that their owner sees who would lose
// what before going live; and the paths asked about that are not registered. The
// counts lie outside the ledger on purpose; they are capped, flushed every few
// seconds, and may lose that much.
package usage

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Key is what is counted apart.
type Key struct {
	Kind        Kind
	Application fact.ApplicationID
	User        fact.UserID
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

// Counts counts in memory and flushes to PostgreSQL.
type Counts struct {
	pool *pgxpool.Pool
	log  *slog.Logger

	mu      sync.Mutex
	waiting map[Key]*Count

	stop context.CancelFunc
	done chan struct{}
}

// Open begins to flush, until Close.
func Open(pool *pgxpool.Pool, log *slog.Logger) *Counts {
	run, cancel := context.WithCancel(context.Background())
	t := &Counts{pool: pool, log: log, waiting: map[Key]*Count{}, stop: cancel, done: make(chan struct{})}
	go t.run(run)
	return t
}

// Close flushes what waits and stops.
func (t *Counts) Close() {
	t.stop()
	<-t.done
}

// Add counts one.
func (t *Counts) Add(k Key, at time.Time) {
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

func (t *Counts) run(ctx context.Context) {
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

func (t *Counts) flush(ctx context.Context) {
	t.mu.Lock()
	waiting := t.waiting
	t.waiting = map[Key]*Count{}
	t.mu.Unlock()
	if len(waiting) == 0 {
		return
	}
	type group struct {
		kind Kind
		app  fact.ApplicationID
	}
	groups := map[group][]*Count{}
	for _, c := range waiting {
		g := group{c.Kind, c.Application}
		groups[g] = append(groups[g], c)
	}
	var b pgx.Batch
	b.Queue("select pg_advisory_xact_lock($1)", flushLock) // one after another: two would wait for each other's rows
	for g, all := range groups {
		var users []uint32
		var actions, paths []string
		var times []int64
		var last []time.Time
		for _, c := range all {
			users, actions, paths = append(users, uint32(c.User)), append(actions, c.Action), append(paths, c.Path)
			times, last = append(times, c.Times), append(last, c.Last)
		}
		b.Queue(flushing, uint32(g.app), string(g.kind), users, actions, paths, times, last)
		b.Queue(trimming, uint32(g.app), string(g.kind), mostKept)
	}
	if err := t.pool.SendBatch(ctx, &b).Close(); err != nil {
		t.log.Warn("counts of rehearsals were lost", "keys", len(waiting), "error", err)
	}
}

// flushLock is the number of the lock that flushing programs take.
const flushLock = 7420_0005

// flushing adds to the counts there are, and begins new ones.
const flushing = `
	insert into rehearsal (application, kind, user_id, action, path, times, last_at)
		select $1, $2, * from unnest($3::bigint[], $4::text[], $5::text[], $6::bigint[], $7::timestamptz[])
	on conflict (application, kind, user_id, action, path) do update
		set times = rehearsal.times + excluded.times, last_at = greatest(rehearsal.last_at, excluded.last_at)`

// trimming drops what there is no room for: what was counted least, of that the
// newest.
const trimming = `
	delete from rehearsal where ctid = any(array(
		select ctid from rehearsal where application = $1 and kind = $2 order by times desc, last_at, user_id, action, path offset $3))`

// Of are the counts of one kind of an application, those not flushed yet too,
// most first.
func (t *Counts) Of(ctx context.Context, kind Kind, app fact.ApplicationID) ([]Count, error) {
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
