package past

import (
	"context"
	"log/slog"
	"sync/atomic"
	"time"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/sync/singleflight"
)

// Past answers of the days there are revisions of: from the rows of facts, from snapshots it
// keeps, or by replaying. It also has the rows written that a large change left for later. It
// may be used by several goroutines.
type Past struct {
	pool *pgxpool.Pool
	log  *slog.Logger
	run  context.Context // until it is closed
	head func() *access.Snapshot
	lost func() string // why nothing may be answered any more, blank while it may

	flights singleflight.Group
	whole   chan struct{} // at most two whole historical snapshots at once
	cache   historyCache
	recents recent

	lagging atomic.Bool   // the fact rows do not reach the head, as far as is known
	reached atomic.Int64  // how far they did when that was last asked
	fill    chan struct{} // told when they may not
	unfiled backlog
	tidied  struct { // see tidy
		revision int64
		when     time.Time
		due      atomic.Bool
	}
}

// New is that of one database. run ends when it is closed; head is the newest snapshot that
// is known, lost why there is no answer any more, or blank.
func New(run context.Context, pool *pgxpool.Pool, log *slog.Logger, head func() *access.Snapshot, lost func() string) *Past {
	return &Past{pool: pool, log: log, run: run, head: head, lost: lost, whole: make(chan struct{}, 2), fill: make(chan struct{}, 1)}
}

// Reach notes how far the rows do, as far as is known, and forgets what they tell of by now.
func (l *Past) Reach(revision int64) {
	l.reached.Store(revision)
	l.recents.upTo(revision)
}

// Forget forgets what it keeps: the rows were made anew. Nobody else may use it meanwhile.
func (l *Past) Forget() {
	l.cache = historyCache{}
	l.unfiled.put(nil, nil, nil)
}

// Keep keeps a snapshot that was just shown, while the rows do not tell of it.
func (l *Past) Keep(s *access.Snapshot) {
	if l.Lagging() {
		l.recents.add(s)
	}
}
