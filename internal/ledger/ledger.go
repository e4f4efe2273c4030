package ledger

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/past"

	"github.com/jackc/pgx/v5/pgxpool"
)

// ErrClosed is returned for a commit after Close.
var ErrClosed = errors.New("the service is stopping")

// Ledger is the open ledger of one database.
type Ledger struct {
	*past.Past
	pool *pgxpool.Pool
	log  *slog.Logger
	head atomic.Pointer[tip]
	seen atomic.Pointer[time.Time] // when the head was last known to be the newest

	moving sync.Mutex    // held while the head moves; guards news
	news   chan struct{} // closed when the head moves

	id       string                 // of the ledger, wherever it is
	epoch    int                    // of the ledger's history: see migration 30
	own      atomic.Pointer[writer] // what this program is writing now
	queue    chan *pending
	writes   chan *attempt
	derailed atomic.Bool                  // an attempt had to be judged again
	clock    atomic.Pointer[clockReading] // of the database
	run      context.Context              // until Close
	stop     context.CancelFunc
	done     sync.WaitGroup
	gate     sync.RWMutex // guards closed against sends
	shut     bool

	readOnly   atomic.Bool            // the database said so when it was last asked
	unfollowed atomic.Bool            // no other program followed then
	noticed    atomic.Pointer[notice] // the newest revision heard of
	wrong      atomic.Pointer[string] // see WrongTime
	past       atomic.Int64           // see mindsPast
	trouble    atomic.Pointer[error]  // what keeps it from following, nil for nothing

	large    chan struct{}             // held by the one large change that is prepared here
	staging  atomic.Int64              // its number, while this program prepares one of its own
	prepared atomic.Pointer[following] // one of another program that is about to be published

	verifying verifyRuns

	timed atomic.Pointer[func(string, time.Duration)] // see Time

	lost   atomic.Pointer[string] // why it must not go on: see lose
	losing sync.Once
	ended  chan struct{} // closed when it is lost
}

// Open loads the head and begins to follow and to commit. Close ends both.
func Open(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger) (*Ledger, error) {
	l := &Ledger{pool: pool, log: log, queue: make(chan *pending, 1024), writes: make(chan *attempt), large: make(chan struct{}, 1), news: make(chan struct{}), ended: make(chan struct{})}
	run, cancel := context.WithCancel(context.WithoutCancel(ctx))
	l.run, l.stop = run, cancel
	l.Past = past.New(run, pool, log, l.Head, l.Lost)
	if err := l.load(ctx); err != nil {
		cancel()
		return nil, err
	}
	l.done.Add(4)
	go func() {
		defer l.done.Done()
		l.Fills(run, l.sweep)
	}()
	go l.commits()
	go func() {
		defer l.done.Done()
		for a := range l.writes {
			l.commitGroup(a)
		}
	}()
	go l.follow(run)
	return l, nil
}

// Close finishes the commits that wait and stops.
func (l *Ledger) Close() {
	l.gate.Lock()
	if !l.shut {
		l.shut = true
		close(l.queue)
	}
	l.gate.Unlock()
	l.stop()
	l.done.Wait()
	database.ForgetLines(l.pool)
}

// WaitFor waits until the head is at least a revision, and says whether it is.
// It gives up when the context ends.
func (l *Ledger) WaitFor(ctx context.Context, revision int64) bool {
	for {
		l.moving.Lock()
		news := l.news
		l.moving.Unlock()
		if l.Head().Revision >= revision {
			return true
		}
		select {
		case <-news:
		case <-ctx.Done():
			return false
		}
	}
}

// load compiles the head afresh from the rows, and replays what these do not reach yet.
func (l *Ledger) load(ctx context.Context) error {
	var revision, reached int64
	var epoch int
	var id string
	asked := time.Now()
	if err := l.pool.QueryRow(ctx, sqlHeadAt).Scan(&revision, &epoch, &id, &reached); err != nil {
		return database.Unavailable(err)
	}
	var at time.Time
	hash := []byte{}
	if reached > 0 {
		if err := l.pool.QueryRow(ctx, sqlReachedAt, reached).Scan(&at, &hash); err != nil {
			return database.Unavailable(err)
		}
	}
	if l.head.Load() == nil { // it is opened: nobody else looks at these yet, and they stay as they are
		l.epoch, l.id = epoch, id
	}
	s, err := l.Compile(ctx, reached, calendar.At(at))
	if err != nil {
		return database.Unavailable(err)
	}
	l.moving.Lock()
	l.show(tip{snapshot: s, hash: hash}, asked)
	l.moving.Unlock()
	if reached == revision {
		return nil
	}
	l.Lag(true)
	return l.advance(ctx)
}
