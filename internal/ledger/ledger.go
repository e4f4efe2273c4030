package ledger

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"

	"github.com/jackc/pgx/v5"
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
	head atomic.Pointer[access.Snapshot]
	seen atomic.Int64 // when the head was last known to be the newest, Unix nanoseconds

	moved sync.Mutex    // guards news
	news  chan struct{} // closed when the head moves

	mu       sync.Mutex // held while the head moves; guards tip
	tip      tip
	epoch    int // of the ledger's history: see migration 30
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
}

// Open loads the head and begins to follow and to commit. Close ends both.
func Open(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger) (*Ledger, error) {
	l := &Ledger{pool: pool, log: log, queue: make(chan *pending, 1024), writes: make(chan *attempt), whole: make(chan struct{}, 2), news: make(chan struct{})}
	if err := l.load(ctx); err != nil {
		return nil, err
	}
	run, cancel := context.WithCancel(context.WithoutCancel(ctx))
	l.run, l.stop = run, cancel
	l.done.Add(3)
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
}

// Head is the newest snapshot this program knows.
func (l *Ledger) Head() *access.Snapshot { return l.head.Load() }

// Age is how long ago the head was last known to be the newest.
func (l *Ledger) Age() time.Duration { return time.Since(time.Unix(0, l.seen.Load())) }

func (l *Ledger) publish(s *access.Snapshot) {
	l.head.Store(s)
	l.seen.Store(time.Now().UnixNano())
	l.moved.Lock()
	close(l.news)
	l.news = make(chan struct{})
	l.moved.Unlock()
}

// WaitFor waits until the head is at least a revision, and says whether it is.
// It gives up when the context ends.
func (l *Ledger) WaitFor(ctx context.Context, revision int64) bool {
	for {
		l.moved.Lock()
		news := l.news
		l.moved.Unlock()
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

// load compiles the head afresh from the rows.
func (l *Ledger) load(ctx context.Context) error {
	var revision int64
	var at time.Time
	if err := l.pool.QueryRow(ctx, sqlHeadAt).Scan(&revision, &at, &l.epoch); err != nil {
		return Unavailable(err)
	}
	s, err := l.compile(ctx, revision, calendar.At(at))
	if err != nil {
		return Unavailable(err)
	}
	l.publish(s)
	return nil
}

// reading runs f in a transaction that sees one state of the database.
func (l *Ledger) reading(ctx context.Context, f func(pgx.Tx) error) error {
	err := pgx.BeginTxFunc(ctx, l.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, f)
	return Unavailable(err)
}

// Unavailable marks the errors that mean PostgreSQL cannot be reached, or takes no changes.
func Unavailable(err error) error {
	var pg interface{ SQLState() string }
	var spoiled *unreadable
	if err == nil || errors.As(err, &spoiled) || errors.Is(err, ErrBeforeFirst) || errors.Is(err, errBehind) || errors.Is(err, pgx.ErrNoRows) {
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

// follow keeps the head the newest there is: it listens for the commits of
// other programs on the same database and looks again whenever it (re)connects,
// and every second, so that a lost notice costs no more than that.
func (l *Ledger) follow(ctx context.Context) {
	defer l.done.Done()
	down := false
	for ctx.Err() == nil {
		err := caught.Do(func() error { return l.listen(ctx) })
		if ctx.Err() != nil {
			return
		}
		if !down {
			l.log.Warn("the database cannot be reached; reads go on", "revision", l.Head().Revision, "error", err)
			down = true
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(250 * time.Millisecond):
		}
		if l.answers(ctx) {
			l.log.Info("the database is back")
			down = false
		}
	}
}

// answers says whether the database does.
func (l *Ledger) answers(ctx context.Context) bool {
	ctx, cancel := context.WithTimeout(ctx, answersIn)
	defer cancel()
	return l.pool.Ping(ctx) == nil
}

// How long the database may take to answer whoever follows it, and to tell what was
// committed meanwhile: a connection may break without a word, those that lie ready too.
const (
	answersIn  = 5 * time.Second
	catchUpsIn = time.Minute
)

func (l *Ledger) listen(ctx context.Context) error {
	begin, cancel := context.WithTimeout(ctx, answersIn)
	defer cancel()
	conn, err := l.pool.Acquire(begin)
	if err != nil {
		return err
	}
	defer func() {
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), answersIn)
		defer cancel()
		_ = conn.Hijack().Close(end)
	}()
	if _, err := conn.Exec(begin, "listen able_roster_ledger"); err != nil {
		return err
	}
	look := func() (newest int64, now time.Time, err error) {
		ctx, cancel := context.WithTimeout(ctx, answersIn)
		defer cancel()
		var shut bool
		err = conn.QueryRow(ctx, sqlHead).Scan(&newest, &now, &shut)
		l.readOnly.Store(err == nil && shut)
		return newest, now, err
	}
	for {
		newest, now, err := look()
		if err != nil {
			return err
		}
		l.clock.Store(&clockReading{now, time.Now()})
		wait, cancel := context.WithTimeout(ctx, time.Second)
		err = l.heed(ctx, wait, conn.Conn(), newest)
		cancel()
		if err != nil && !errors.Is(err, context.DeadlineExceeded) {
			return err
		}
	}
}

// heed catches up with a revision and with those there is notice of, until the
// wait ends.
func (l *Ledger) heed(ctx, wait context.Context, conn *pgx.Conn, newest int64) error {
	for {
		l.noticed.Store(&notice{newest, time.Now()})
		if err := l.catchUpIn(ctx, newest); err != nil {
			return err
		}
		told, err := conn.WaitForNotification(wait)
		if err != nil {
			return err
		}
		if newest, err = strconv.ParseInt(told.Payload, 10, 64); err != nil {
			return nil // of another version: look for oneself
		}
	}
}

func (l *Ledger) catchUpIn(ctx context.Context, newest int64) error {
	ctx, cancel := context.WithTimeout(ctx, catchUpsIn)
	defer cancel()
	return l.catchUp(ctx, newest)
}

// catchUp moves the head on to what other programs have committed.
func (l *Ledger) catchUp(ctx context.Context, newest int64) error {
	if l.Head().Revision < newest {
		l.mu.Lock()
		defer l.mu.Unlock()
	}
	if l.Head().Revision < newest { // not even what this program was writing
		return l.advance(ctx)
	}
	l.seen.Store(time.Now().UnixNano())
	return nil
}

// advance replays the revisions after the head. The caller holds l.mu.
func (l *Ledger) advance(ctx context.Context) error {
	return l.reading(ctx, func(tx pgx.Tx) error {
		s := l.Head()
		for {
			revs, err := readRevisions(ctx, tx, s.Revision, 500)
			if err != nil {
				return err
			}
			for _, r := range revs {
				d, err := replay(s, &r)
				if err != nil {
					return fmt.Errorf("revision %d: %w", r.Revision, err)
				}
				s = d.Seal(r.Revision, r.At)
			}
			if len(revs) == 0 {
				l.publish(s)
				return nil
			}
		}
	})
}
