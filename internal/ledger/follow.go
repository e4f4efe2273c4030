package ledger

import (
	"bytes"
	"context"
	"errors"
	"strconv"
	"time"

	"ableroster/internal/caught"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/migrations"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// follow keeps the head the newest there is: it listens for the commits of
// other programs on the same database and looks again whenever it (re)connects,
// and every second, so that a lost notice costs no more than that.
func (l *Ledger) follow(ctx context.Context) {
	defer l.done.Done()
	said := "" // what keeps it from following, in the log
	for ctx.Err() == nil {
		err := caught.Do(func() error { return l.listen(ctx) })
		if ctx.Err() != nil || l.Lost() != "" {
			return
		}
		away := errors.Is(database.Unavailable(err), database.ErrUnavailable)
		if text := err.Error(); text != said {
			why := "the database cannot be reached; reads go on"
			if !away {
				why = "what others committed cannot be taken over; reads go on"
			}
			l.log.Warn(why, "revision", l.Head().Revision, "error", err)
			said = text
		}
		l.trouble.Store(&err)
		if away {
			database.CutSilent(l.pool) // the others are likely as broken, and each would have to be found so
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(250 * time.Millisecond):
		}
		if away && l.answers(ctx) {
			l.log.Info("the database is back")
			said = ""
		}
	}
}

// answers says whether the database does.
func (l *Ledger) answers(ctx context.Context) bool {
	ctx, cancel := context.WithTimeout(ctx, database.AnswersIn)
	defer cancel()
	return l.pool.Ping(ctx) == nil
}

// How long the database may take to answer whoever follows it, and to tell what was
// committed meanwhile: a connection may break without a word, those that lie ready too.
const (
	catchUpsIn = time.Minute
)

func (l *Ledger) listen(ctx context.Context) error {
	begin, cancel := context.WithTimeout(ctx, database.AnswersIn)
	defer cancel()
	conn, err := l.pool.Acquire(begin)
	if err != nil {
		return err
	}
	defer func() {
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), database.AnswersIn)
		defer cancel()
		_ = conn.Hijack().Close(end)
	}()
	if _, err := conn.Exec(begin, "listen able_roster_ledger"); err != nil {
		return err
	}
	if _, err := conn.Exec(begin, sqlShareLock, database.LockClass, database.LockAlive); err != nil {
		return err
	}
	if _, err := conn.Exec(begin, sqlTellFollows); err != nil {
		return err
	}
	defer l.unfollowed.Store(false) // as far as is known
	soon := 3                       // looks, until another one that was alone, and told nobody, knows of this one
	for odd := false; ; {
		at, newest, err := l.look(ctx, conn)
		if err != nil {
			return err
		}
		odd = l.minded(odd)
		l.mindsPast()
		pause := time.Second
		if soon > 0 {
			soon--
			pause = 50 * time.Millisecond
		}
		wait, cancel := context.WithTimeout(ctx, pause)
		err = l.heed(ctx, wait, conn.Conn(), newest, at)
		cancel()
		if err != nil && !errors.Is(err, context.DeadlineExceeded) {
			return err
		}
		l.trouble.Store(nil)
	}
}

// look asks the database how far the ledger goes, at a time, and holds what it says to
// what is known here.
func (l *Ledger) look(ctx context.Context, conn *pgxpool.Conn) (at time.Time, newest int64, err error) {
	ctx, cancel := context.WithTimeout(ctx, database.AnswersIn)
	defer cancel()
	known := l.head.Load() // before the question: the answer is no older
	at = time.Now()
	var hash []byte
	var epoch int
	var version, reached, ready, follow int64
	var now time.Time
	var shut bool
	err = conn.QueryRow(ctx, sqlHead, database.LockClass, database.LockAlive).Scan(&newest, &hash, &epoch, &now, &shut, &version, &reached, &ready, &follow)
	l.readOnly.Store(err == nil && shut)
	if err != nil {
		return at, 0, err
	}
	l.readClock(now)
	l.unfollowed.Store(follow <= 1) // itself
	switch {
	case version > migrations.Newest:
		return at, 0, l.lose("the tables were made newer than this program: start one that is as new")
	case epoch != l.epoch:
		return at, 0, l.lose("revisions of this ledger were lost, as another service found")
	case newest < known.revision(), newest == known.revision() && !bytes.Equal(hash, known.hash):
		return at, 0, l.loseRevisions(ctx, known)
	}
	l.Reach(reached)
	if reached == newest {
		l.Lag(false)
	} else {
		l.Lag(true)
	}
	l.prepareStaged(ready)
	return at, newest, nil
}

// heed catches up with a revision and with those there is notice of, until the
// wait ends.
func (l *Ledger) heed(ctx, wait context.Context, conn *pgx.Conn, newest int64, at time.Time) error {
	for {
		l.noticed.Store(&notice{newest, at})
		if err := l.catchUp(ctx, newest, at); err != nil {
			return err
		}
		told, err := conn.WaitForNotification(wait)
		if err != nil {
			return err
		}
		at = time.Now()
		if newest, err = strconv.ParseInt(told.Payload, 10, 64); err != nil {
			return nil // of another version: look for oneself
		}
	}
}

// ownSoon is how long whoever follows waits for this program's own revision, which is heard of
// before the commit is answered: to read it back would cost more.
const ownSoon = 5 * time.Millisecond

// catchUp moves the head on to what other programs have committed; at is when the newest
// revision was heard of. It waits for nothing that this program is writing itself, but for a
// moment where that may be what was heard of.
func (l *Ledger) catchUp(ctx context.Context, newest int64, at time.Time) error {
	head := l.head.Load()
	if own := l.own.Load(); own != nil && head.revision() < newest && own.head.Revision >= newest {
		select {
		case <-own.after:
		case <-time.After(ownSoon):
		case <-ctx.Done():
		}
		head = l.head.Load()
	}
	if head.revision() >= newest {
		l.publish(*head, at)
		return nil
	}
	ctx, cancel := context.WithTimeout(ctx, catchUpsIn)
	defer cancel()
	stop := l.alive(ctx, cancel)
	defer stop()
	return l.advance(ctx)
}

// alive gives up something that takes long, once the database does not answer beside it.
func (l *Ledger) alive(ctx context.Context, giveUp func()) (stop func()) {
	end := make(chan struct{})
	go func() {
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		for {
			select {
			case <-end:
				return
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			if !l.answers(ctx) {
				giveUp()
				return
			}
		}
	}()
	return func() { close(end) }
}

// advance replays the revisions after the head, each of which has to follow the one
// before it by its hash.
func (l *Ledger) advance(ctx context.Context) error {
	return database.Read(ctx, l.pool, func(tx pgx.Tx) error {
		t := *l.head.Load()
		at := time.Now()
		if err := l.stands(ctx, tx, &t); err != nil {
			return err
		}
		for {
			known := l.staging.Load()
			if f := l.prepared.Load(); f != nil {
				known = f.id
			}
			revs, err := revisions.Read(ctx, tx, t.revision(), 500, known)
			if err != nil {
				return err
			}
			for _, r := range revs {
				if head := l.head.Load(); head.revision() >= r.Revision { // this program made it meanwhile
					t = *head
					break
				}
				if own := l.own.Load(); own != nil && own.writes(r.HashBytes) {
					return nil // this program's own: it makes it the head itself
				}
				if !bytes.Equal(revisions.Chain(t.hash, r.Canonical), r.HashBytes) {
					return &revisions.Unfit{Revision: r.Revision, Cause: errors.New("its hash does not follow the revision before")}
				}
				s, err := l.follows(ctx, tx, t.snapshot, &r)
				if err != nil {
					return &revisions.Unfit{Revision: r.Revision, Cause: err}
				}
				l.Keep(s)
				t = tip{snapshot: s, hash: r.HashBytes}
			}
			if len(revs) == 0 {
				l.publish(t, at)
				return nil
			}
		}
	})
}
