package ledger

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/internal/calendar"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/sync/singleflight"
)

// ErrUnavailable is returned when PostgreSQL cannot be reached. Whether a
// commit under way then stands is known only once it is back.
var ErrUnavailable = errors.New("the database cannot be reached")

// ErrReadOnly is returned when the database takes no changes: it is a standby, or was set so.
var ErrReadOnly = errors.New("the database takes no changes now: it is read-only")

// ErrBeforeFirst is returned for an instant before the first revision.
var ErrBeforeFirst = errors.New("that is before the first revision")

// ErrClosed is returned for a commit after Close.
var ErrClosed = errors.New("the service is stopping")

// Ledger is the open ledger of one database.
type Ledger struct {
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

	flights singleflight.Group
	whole   chan struct{} // at most two whole historical snapshots at once
	cache   historyCache

	readOnly atomic.Bool            // the database said so when it was last asked
	noticed  atomic.Pointer[notice] // the newest revision heard of
	wrong    atomic.Pointer[string] // see WrongTime
	past     atomic.Int64           // see mindsPast
	trouble  atomic.Pointer[error]  // what keeps it from following, nil for nothing

	large    chan struct{}             // held by the one large change that is prepared here
	staging  atomic.Int64              // its number, while this program prepares one of its own
	prepared atomic.Pointer[following] // one of another program that is about to be published

	lagging atomic.Bool   // the fact rows do not reach the head, as far as is known
	reached atomic.Int64  // how far they did when that was last asked
	fill    chan struct{} // told when they may not
	unfiled backlog
	recents recent
	tidied  struct { // see tidy
		revision int64
		when     time.Time
		due      atomic.Bool
	}

	verifying verifyRuns

	timed atomic.Pointer[func(string, time.Duration)] // see Time

	lost   atomic.Pointer[string] // why it must not go on: see lose
	losing sync.Once
	ended  chan struct{} // closed when it is lost
}

// Open loads the head and begins to follow and to commit. Close ends both.
func Open(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger) (*Ledger, error) {
	l := &Ledger{pool: pool, log: log, queue: make(chan *pending, 1024), writes: make(chan *attempt), whole: make(chan struct{}, 2), large: make(chan struct{}, 1), fill: make(chan struct{}, 1), news: make(chan struct{}), ended: make(chan struct{})}
	if err := l.load(ctx); err != nil {
		return nil, err
	}
	run, cancel := context.WithCancel(context.WithoutCancel(ctx))
	l.run, l.stop = run, cancel
	l.done.Add(4)
	go l.fills(run)
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
	linesOf.Delete(l.pool)
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
		return Unavailable(err)
	}
	var at time.Time
	hash := []byte{}
	if reached > 0 {
		if err := l.pool.QueryRow(ctx, sqlReachedAt, reached).Scan(&at, &hash); err != nil {
			return Unavailable(err)
		}
	}
	if l.head.Load() == nil { // it is opened: nobody else looks at these yet, and they stay as they are
		l.epoch, l.id = epoch, id
	}
	s, err := l.compile(ctx, reached, calendar.At(at))
	if err != nil {
		return Unavailable(err)
	}
	l.moving.Lock()
	l.show(tip{snapshot: s, hash: hash}, asked)
	l.moving.Unlock()
	if reached == revision {
		return nil
	}
	l.rowsLag()
	return l.advance(ctx)
}

// reading runs f in a transaction that sees one state of the database.
func (l *Ledger) reading(ctx context.Context, f func(pgx.Tx) error) error {
	err := pgx.BeginTxFunc(ctx, l.pool, pgx.TxOptions{BeginQuery: "begin isolation level repeatable read read only; " + idle}, f)
	return Unavailable(err)
}

// Unavailable marks the errors that mean PostgreSQL cannot be reached, or takes no changes.
func Unavailable(err error) error {
	var pg interface{ SQLState() string }
	var spoiled *unreadable
	var wrong *unfit
	var row *spoiledRow
	if err == nil || errors.As(err, &spoiled) || errors.Is(err, ErrBeforeFirst) || errors.Is(err, ErrLost) || errors.As(err, &wrong) || errors.As(err, &row) || errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	if errors.As(err, &pg) {
		// 57P.. is the server going away, 08... the connection, 53... no room, 25006 that it
		// takes no changes.
		switch c := pg.SQLState(); {
		case c == "25006":
			return fmt.Errorf("%w: %w", ErrReadOnly, err)
		case len(c) == 5 && (c[:3] == "57P" || c[:2] == "08" || c[:2] == "53"):
			return fmt.Errorf("%w: %w", ErrUnavailable, err)
		}
		return err
	}
	return fmt.Errorf("%w: %w", ErrUnavailable, err)
}

// BrokenOff says whether an error is that of a database which went away while it was asked, or of a
// connection to it that broke, of whoever asked it without the ledger.
func BrokenOff(err error) bool {
	var connect *pgconn.ConnectError
	var pg interface{ SQLState() string }
	if errors.As(err, &pg) {
		return errors.Is(Unavailable(err), ErrUnavailable)
	}
	for _, broken := range []error{io.EOF, io.ErrUnexpectedEOF, net.ErrClosed, pgx.ErrTxClosed, pgx.ErrTxCommitRollback} {
		if errors.Is(err, broken) {
			return true
		}
	}
	return errors.As(err, &connect) || pgconn.SafeToRetry(err)
}
