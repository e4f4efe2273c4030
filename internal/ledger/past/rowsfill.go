package past

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// The fact rows of a large change are written after it is a revision, in portions, by one
// program for all, which does not hold the head meanwhile. Until they are all there, those of
// later revisions wait too: up to ledger_head.rows_through they are whole, and whoever asks
// for a later day gets it by replaying what came after.

// backlog is the large change that this program published last, as long as its rows are not
// written: to work them out again would take as long as to judge it.
type backlog struct {
	mu            sync.Mutex
	changes       []access.RowChange
	before, after *access.Snapshot
}

func (b *backlog) put(changes []access.RowChange, before, after *access.Snapshot) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.changes, b.before, b.after = changes, before, after
}

// at is the change if it follows a revision, nil if none does.
func (b *backlog) at(revision int64) (changes []access.RowChange, before, after *access.Snapshot) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.before == nil || b.before.Revision != revision {
		return nil, nil, nil
	}
	return b.changes, b.before, b.after
}

// HaveRows has the rows of a change written soon that this program has at hand.
func (l *Past) HaveRows(changes []access.RowChange, before, after *access.Snapshot) {
	l.unfiled.put(changes, before, after)
	select {
	case l.fill <- struct{}{}:
	default:
	}
}

// Lag says whether rows are missing, as far as is known here.
func (l *Past) Lag(is bool) { l.lagging.Store(is) }

// Lagging says whether they are.
func (l *Past) Lagging() bool { return l.lagging.Load() }

// Reached is how far they did when that was last asked.
func (l *Past) Reached() int64 { return l.reached.Load() }

// othersFill is for how long rows may be missing before a program writes them that did not
// publish the change: the one that did has them at hand.
const othersFill = 3 * time.Second

// Fills writes rows that are missing, unless another program does, until the context ends. sweep
// is called every hour.
func (l *Past) Fills(ctx context.Context, sweep func(context.Context)) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	whole := time.Now() // when the rows were last known to be
	var swept time.Time
	for {
		select {
		case <-l.fill:
		case <-tick.C:
			if time.Since(swept) > sweepEvery {
				swept = time.Now()
				sweep(ctx)
			}
			if !l.Lagging() {
				l.tidy(ctx)
				whole = time.Now()
			}
			if time.Since(whole) < othersFill {
				continue
			}
		case <-ctx.Done():
			return
		}
		err := caught.Do(func() error { return l.fillRows(ctx) })
		if err != nil && ctx.Err() == nil && l.lost() == "" {
			l.log.Warn("rows of facts could not be written; it is tried again", "error", err)
		}
	}
}

// How much is committed, and how long, before what histories are found by is put in order.
const (
	tidyRevisions = 500
	tidyAfter     = 10 * time.Second
)

// tidy puts what histories are found by in order, now and then: it is gathered unordered, so
// that whoever commits while holding the head need not do it.
func (l *Past) tidy(ctx context.Context) {
	head := l.head().Revision
	if !l.tidied.due.Swap(false) && (head-l.tidied.revision < tidyRevisions || time.Since(l.tidied.when) < tidyAfter) {
		return
	}
	l.tidied.revision, l.tidied.when = head, time.Now()
	if _, err := l.pool.Exec(ctx, SQLTidy); err != nil && ctx.Err() == nil {
		l.log.Warn("what histories are found by is not in order", "error", err)
	}
}

// filler writes the rows of one revision after the other.
type filler struct {
	l     *Past
	conn  *pgxpool.Conn
	s     *access.Snapshot // as far as the rows reach
	begun int64            // the revision of which it has begun to write rows
}

const (
	sqlReached  = `select revision, rows_through, coalesce(rows_of, 0) from ledger_head`
	sqlBegins   = `update ledger_head set rows_of = $2 where rows_through = $1`
	sqlReaches  = `update ledger_head set rows_through = $2, rows_of = null where rows_through = $1`
	sqlAnyLarge = `select exists (select from revision where revision > $1 and staged is not null)`
	SQLTidy     = `select gin_clean_pending_list('operation_subjects')`
	sqlTellAll  = `select pg_notify('able_roster_ledger', 'rows')`
)

// errNotReached says that the rows were found to reach elsewhere than they should.
var errNotReached = errors.New("the rows reach elsewhere by now")

func (l *Past) fillRows(ctx context.Context) error {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	var mine bool
	if err := conn.QueryRow(ctx, database.SQLTryLock, database.LockClass, database.LockRows).Scan(&mine); err != nil || !mine {
		return err
	}
	defer func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), database.AnswersIn)
		defer cancel()
		if _, err := conn.Exec(ctx, database.SQLUnlock, database.LockClass, database.LockRows); err != nil {
			_ = conn.Conn().Close(ctx) // and the lock ends with it
		}
	}()
	f := &filler{l: l, conn: conn}
	for {
		done, err := f.some(ctx)
		if done || err != nil {
			return err
		}
	}
}

// nearly is how many revisions are few enough to be written while the head is held: else
// there would always be one more.
const nearly = 50

// some writes the rows of some revisions; done is true when they are all there.
func (f *filler) some(ctx context.Context) (done bool, err error) {
	head, reached, of, err := f.reached(ctx)
	if err != nil {
		return false, err
	}
	if reached > head {
		return true, errNotReached
	}
	if head == reached {
		f.l.reached.Store(reached)
		f.l.Lag(false)
		f.l.recents.upTo(reached)
		f.l.unfiled.put(nil, nil, nil)
		_, err := f.conn.Exec(ctx, sqlTellAll)
		return true, err
	}
	if of != 0 && of != f.begun { // somebody else began, and ended
		if err := f.clear(ctx, of); err != nil {
			return false, err
		}
	}
	changes, before, after := f.l.unfiled.at(reached)
	if before != nil {
		if err := f.large(ctx, reached, changes); err != nil {
			return false, err
		}
		f.s = after
		return false, nil
	}
	if f.s == nil || f.s.Revision != reached {
		if f.s, err = f.l.Compile(ctx, reached, 0); err != nil {
			return false, err
		}
	}
	if head-reached <= nearly {
		var large bool
		if err := f.conn.QueryRow(ctx, sqlAnyLarge, reached).Scan(&large); err != nil {
			return false, err
		}
		if !large {
			return false, f.last(ctx)
		}
	}
	return false, f.next(ctx, f.conn)
}

// last writes the rows of the few revisions that are left, while nobody commits.
func (f *filler) last(ctx context.Context) error {
	return pgx.BeginFunc(ctx, f.conn, func(tx pgx.Tx) error {
		var head, reached int64
		if err := tx.QueryRow(ctx, database.SQLLockHead).Scan(&head, nil, nil, nil, &reached); err != nil {
			return err
		}
		if head-reached > 2*nearly {
			return nil // others were faster
		}
		for f.s.Revision < head {
			if err := f.next(ctx, tx); err != nil {
				return err
			}
		}
		return nil
	})
}

func (f *filler) reached(ctx context.Context) (head, reached, of int64, err error) {
	err = f.conn.QueryRow(ctx, sqlReached).Scan(&head, &reached, &of)
	return head, reached, of, err
}

// clear deletes rows of a revision of which some were written and not all.
func (f *filler) clear(ctx context.Context, revision int64) error {
	return pgx.BeginFunc(ctx, f.conn, func(tx pgx.Tx) error {
		for i := range factrows.All {
			name := factrows.All[i].Name
			if _, err := tx.Exec(ctx, "delete from "+name+" where opened = $1", revision); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "update "+name+" set closed = null where closed = $1", revision); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, "update ledger_head set rows_of = null where rows_of = $1", revision)
		return err
	})
}

// next writes the rows of the revisions that follow: several small ones, or a large one.
func (f *filler) next(ctx context.Context, on beginner) error {
	n, err := revisions.PortionAfter(ctx, on, f.s.Revision)
	if err != nil {
		return err
	}
	revs, err := revisions.Read(ctx, on, f.s.Revision, n, 0)
	if err != nil {
		return err
	}
	from := f.s.Revision
	var w factrows.Rows
	for i := range revs {
		r := &revs[i]
		d, err := revisions.Replay(f.s, r)
		if err != nil {
			return &revisions.Unfit{Revision: r.Revision, Cause: err}
		}
		if changes := d.Changes(); len(changes) > PortionRows && on == beginner(f.conn) { // else the head is held for few
			if i > 0 { // what comes before it first
				break
			}
			if err := f.large(ctx, from, changes); err != nil {
				return err
			}
			f.s = d.Seal(r.Revision, r.At)
			return nil
		}
		w.Facts(r.Revision, d.Changes())
		f.s = d.Seal(r.Revision, r.At)
	}
	return put(ctx, on, &w, sqlReaches, from, f.s.Revision)
}

// beginner is a connection, or a transaction on it.
type beginner interface {
	factrows.Querier
	Begin(context.Context) (pgx.Tx, error)
}

// put writes rows and says how far they reach, in one transaction.
func put(ctx context.Context, on beginner, w *factrows.Rows, sql string, args ...any) error {
	return pgx.BeginFunc(ctx, on, func(tx pgx.Tx) error {
		var b pgx.Batch
		if err := w.Write(ctx, tx.Conn(), &b); err != nil {
			return err
		}
		if b.Len() > 0 {
			if err := tx.SendBatch(ctx, &b).Close(); err != nil {
				return err
			}
		}
		if sql == "" {
			return nil
		}
		tag, err := tx.Exec(ctx, sql, args...)
		if err == nil && tag.RowsAffected() == 0 {
			err = errNotReached
		}
		return err
	})
}

// large writes the rows of one revision in portions.
func (f *filler) large(ctx context.Context, from int64, changes []access.RowChange) error {
	if err := put(ctx, f.conn, &factrows.Rows{}, sqlBegins, from, from+1); err != nil {
		return err
	}
	f.begun = from + 1
	for some := range slices.Chunk(changes, PortionRows) {
		var w factrows.Rows
		w.Facts(from+1, some)
		if err := put(ctx, f.conn, &w, ""); err != nil {
			return err
		}
	}
	if err := put(ctx, f.conn, &factrows.Rows{}, sqlReaches, from, from+1); err != nil {
		return err
	}
	if _, err := f.conn.Exec(ctx, "analyze user_fact, assignment_fact, membership_fact"); err != nil {
		f.l.log.Warn("statistics of a table are old", "error", err)
	}
	f.l.tidied.due.Store(true)
	return nil
}

// rowsThrough is up to which revision the rows are whole, in the state that a transaction
// sees.
func rowsThrough(ctx context.Context, q interface {
	QueryRow(context.Context, string, ...any) pgx.Row
}) (n int64, err error) {
	err = q.QueryRow(ctx, "select rows_through from ledger_head").Scan(&n)
	return n, err
}

// ErrRowsLater is returned to whoever asks for what only the rows of facts can tell, while
// those of a large change are being written.
var ErrRowsLater = errors.New("a large change was made just now, and its rows are being written: ask again in a moment")

// rowsLatest is how long such a question waits.
const rowsLatest = 20 * time.Second

// rowsReach waits until the rows reach a revision.
func (l *Past) rowsReach(ctx context.Context, revision int64) error {
	if !l.Lagging() { // what is not known here yet was not answered here either
		return nil
	}
	until := time.Now().Add(rowsLatest)
	for {
		n, err := rowsThrough(ctx, l.pool)
		switch {
		case err != nil:
			return database.Unavailable(err)
		case n >= revision:
			return nil
		case time.Now().After(until):
			return ErrRowsLater
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// snapshotAt makes the whole snapshot at a revision: from the rows as far as they reach, and
// from there on by replaying.
func (l *Past) snapshotAt(ctx context.Context, revision int64, at calendar.Instant) (*access.Snapshot, error) {
	reached, err := rowsThrough(ctx, l.pool)
	if err != nil {
		return nil, err
	}
	s, err := l.Compile(ctx, min(revision, reached), at)
	for err == nil && s.Revision < revision {
		var revs []revisions.Revision
		n := 0
		if n, err = revisions.PortionAfter(ctx, l.pool, s.Revision); err != nil {
			break
		}
		if revs, err = revisions.Read(ctx, l.pool, s.Revision, n, 0); err == nil && len(revs) == 0 {
			err = database.ErrLost
		}
		for i := range revs {
			if r := &revs[i]; err == nil && r.Revision <= revision {
				d, failed := revisions.Replay(s, r)
				if failed != nil {
					return nil, &revisions.Unfit{Revision: r.Revision, Cause: failed}
				}
				s = d.Seal(r.Revision, r.At)
			}
		}
	}
	return s, err
}

// sweepEvery is how often what was left beside the ledger is looked for: personal values are
// among it, of people who were never added.
const sweepEvery = time.Hour

// PortionRows is how many rows are written at once, so that nobody waits for them.
const PortionRows = 2000
