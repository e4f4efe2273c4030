package ledger

import (
	"context"
	"errors"
	"sync/atomic"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/past"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/ledger/stream"

	"github.com/jackc/pgx/v5"
)

const (
	sqlLock       = `select pg_advisory_lock($1, $2)`
	sqlShareLock  = `select pg_advisory_lock_shared($1, $2)`
	sqlStage      = `insert into staging (author, ids, operations) values ($1, $2, $3) returning id`
	sqlReady      = `update staging set ready = true, digest = $2 where id = $1`
	sqlTellReady  = `select pg_notify('able_roster_ledger', 'staged')`
	sqlEndStaging = `select end_staging($1)`
	sqlPublished  = `select exists (select from revision where staged = $1)`

	// sqlLeft is what was written of large changes and belongs to no revision. Each number is
	// looked for, and not each row.
	sqlLeft = `with recursive
		o(n) as (select max(revision) from operation where revision < 0 union all select (select max(revision) from operation where revision < o.n) from o where n is not null),
		p(n) as (select max(staged) from personal where staged is not null union all select (select max(staged) from personal where staged < p.n) from p where n is not null)
		select id from (select id from staging union select -n from o union select n from p) x where id is not null and not exists (select from revision where staged = id) order by id`

	sqlHeld = `select exists (select from pg_locks where locktype = 'advisory' and granted and classid = $1 and objid = $2
		and database = (select oid from pg_database where datname = current_database()))`

	// sqlPrepared is how many programs there are, and how many have prepared a change.
	sqlPrepared = `select count(*) filter (where classid = $1 and objid = $2), count(*) filter (where classid = $3 and objid = $4)
		from pg_locks where locktype = 'advisory' and granted and database = (select oid from pg_database where datname = current_database())`
)

// turn is that of the one large change that is made at a time, over all programs. It has a
// connection of its own.
type turn struct {
	l    *Ledger
	conn *pgx.Conn
}

// takeTurn waits for it.
func (l *Ledger) takeTurn(ctx context.Context, c *Change) (*turn, error) {
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	wait := func() error {
		if err := c.watched(Waiting, 0); err != nil {
			return err
		}
		select {
		case <-tick.C:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		case <-l.run.Done():
			return ErrClosed
		}
	}
	for {
		select {
		case l.large <- struct{}{}:
		default:
			if err := wait(); err != nil {
				return nil, err
			}
			continue
		}
		break
	}
	t := &turn{l: l}
	var err error
	if t.conn, err = l.session(ctx); err != nil {
		t.end()
		return nil, database.Unavailable(err)
	}
	for mine := false; !mine; {
		if err = t.conn.QueryRow(ctx, database.SQLTryLock, database.LockClass, database.LockLarge).Scan(&mine); err == nil && !mine {
			err = wait()
		}
		if err != nil {
			t.end()
			return nil, unavailableUnless(ctx, err)
		}
	}
	if err := t.clear(ctx); err != nil {
		t.end()
		return nil, unavailableUnless(ctx, err)
	}
	return t, nil
}

// unavailableUnless is Unavailable for an error that is not the caller's going away.
func unavailableUnless(ctx context.Context, err error) error {
	if ctx.Err() != nil || errors.Is(err, ErrClosed) {
		return err
	}
	return database.Unavailable(err)
}

// session is a connection that is nobody else's.
func (l *Ledger) session(ctx context.Context) (*pgx.Conn, error) {
	c, err := l.pool.Acquire(ctx)
	if err != nil {
		return nil, err
	}
	return c.Hijack(), nil
}

func hangUp(conn *pgx.Conn) {
	ctx, cancel := context.WithTimeout(context.Background(), database.AnswersIn)
	defer cancel()
	_ = conn.Close(ctx)
}

// end gives the turn to the next.
func (t *turn) end() {
	if t.conn != nil {
		hangUp(t.conn)
	}
	<-t.l.large
}

// clear deletes what was written beside the ledger by programs that ended before they
// published it: nobody else is at it now.
func (t *turn) clear(ctx context.Context) error {
	rows, err := t.conn.Query(ctx, sqlLeft)
	if err != nil {
		return err
	}
	left, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	for _, id := range left {
		if err == nil {
			err = forget(ctx, t.conn, id)
		}
	}
	return err
}

// sweep deletes it, unless a large change is being made.
func (l *Ledger) sweep(ctx context.Context) {
	select {
	case l.large <- struct{}{}:
	default:
		return
	}
	t := &turn{l: l}
	defer t.end()
	var mine bool
	var err error
	if t.conn, err = l.session(ctx); err == nil {
		if err = t.conn.QueryRow(ctx, database.SQLTryLock, database.LockClass, database.LockLarge).Scan(&mine); err == nil && mine {
			err = t.clear(ctx)
		}
	}
	if err != nil && ctx.Err() == nil {
		l.log.Warn("what was left beside the ledger could not be looked for", "error", err)
	}
}

// giveUp deletes what was written of a large change, unless it is a revision by now.
func (l *Ledger) giveUp(id int64) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(l.run), commitLimit)
	defer cancel()
	conn, err := l.pool.Acquire(ctx)
	if err == nil {
		err = forget(ctx, conn, id)
		conn.Release()
	}
	if err != nil { // the next large change does
		l.log.Warn("what was written of a large change stays for now", "error", err)
	}
}

// forget deletes one staging, with all that belongs to it, unless it was published.
func forget(ctx context.Context, on interface {
	Begin(context.Context) (pgx.Tx, error)
}, id int64) error {
	return pgx.BeginFunc(ctx, on, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from staging where id = $1", id); err != nil { // waits for whoever publishes it
			return err
		}
		var published bool
		if err := tx.QueryRow(ctx, sqlPublished, id).Scan(&published); err != nil || published {
			return err
		}
		if _, err := tx.Exec(ctx, "delete from operation where revision = $1", -id); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "delete from personal where staged = $1", id)
		return err
	})
}

// stagedWriting is a large change that is written beside the ledger.
type stagedWriting struct {
	s       *stream.Stream
	written atomic.Int64 // operations
}

// write begins to write a change beside the ledger, and to read back what is written.
func (t *turn) write(ctx context.Context, s *staged, base *access.Snapshot, at calendar.Instant, seals []revisions.Sealed) (*stagedWriting, error) {
	var ids any = idsOrNull(s.draft.Took())
	if err := t.conn.QueryRow(ctx, sqlStage, uint32(s.draft.Author), ids, len(s.ops)).Scan(&s.id); err != nil {
		return nil, unavailableUnless(ctx, err)
	}
	w := &stagedWriting{}
	changes := s.change.Changes
	limited, stop := context.WithCancel(ctx)
	w.s = stream.Encoding(limited, stop, 8, -s.id, s.ops, func(x *stream.Stream, chunks <-chan [][]any) error {
		return w.copy(x.Ctx, t.conn, s.id, seals, chunks)
	})
	w.s.ReadsBackAs(base, s.draft, at, s.ops, changes, seals)
	return w, nil
}

func (w *stagedWriting) copy(ctx context.Context, conn *pgx.Conn, id int64, seals []revisions.Sealed, chunks <-chan [][]any) error {
	var some [][]any
	for i, s := range seals {
		some = append(some, []any{s.Digest, uint32(s.User), s.Salt, s.Text, id})
		if len(some) == past.PortionRows || i == len(seals)-1 {
			if _, err := conn.CopyFrom(ctx, pgx.Identifier{"personal"}, factrows.ColumnsOf["personal"], pgx.CopyFromRows(some)); err != nil {
				return err
			}
			some = some[:0]
		}
	}
	for rows := range chunks {
		if _, err := conn.CopyFrom(ctx, pgx.Identifier{"operation"}, factrows.ColumnsOf["operation"], pgx.CopyFromRows(rows)); err != nil {
			return err
		}
		w.written.Add(int64(len(rows)))
	}
	return nil
}

// through waits until all of the change is written, and is the digest of its operations.
func (w *stagedWriting) through(watch func(done int) error) (digest string, err error) {
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	for through := false; !through; {
		if err := watch(int(w.written.Load())); err != nil {
			return "", err
		}
		select {
		case <-w.s.Done:
			through = true
		case <-tick.C:
		}
	}
	<-w.s.Encoded
	if w.s.Fault != nil {
		return "", w.s.Fault
	}
	return w.s.Digest, unavailableUnless(w.s.Ctx, w.s.Err)
}

// ready tells all programs that a change lies ready.
func (t *turn) ready(ctx context.Context, s *staged) error {
	t.l.staging.Store(s.id)
	for _, work := range []struct {
		sql  string
		args []any
	}{{"analyze operation, personal", nil}, {sqlReady, []any{s.id, s.digest}}, {sqlTellReady, nil}} {
		if _, err := t.conn.Exec(ctx, work.sql, work.args...); err != nil {
			return unavailableUnless(ctx, err)
		}
	}
	return nil
}

// others waits until all programs have prepared a change, for a while, and has it follow
// what they commit meanwhile. One that has not is behind for as long as it takes it.
func (t *turn) others(ctx context.Context, s *staged, watch func() error) error {
	most := time.Now().Add(5*time.Second + 4*time.Since(s.began))
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		var alive, prepared int
		if err := t.conn.QueryRow(ctx, sqlPrepared, database.LockClass, database.LockAlive, database.LockReady, int32(s.id)).Scan(&alive, &prepared); err != nil {
			return unavailableUnless(ctx, err)
		}
		if err := takeIn(ctx, t.conn, s.change, t.l.Head().Revision); err != nil {
			if errors.Is(again(err), errAgain) {
				return nil // publishing says so, and it is judged again
			}
			return unavailableUnless(ctx, err)
		}
		if prepared >= alive-1 || time.Now().After(most) {
			return nil
		}
		if err := watch(); err != nil {
			return err
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}
