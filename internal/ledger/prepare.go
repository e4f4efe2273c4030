package ledger

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/gctune"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/pace"
	"ableroster/internal/prepared"

	"github.com/jackc/pgx/v5"
)

// following is a large change of another program, about to be published, as far as this one
// has prepared it: to show it takes no longer then than to show a small one.
type following struct {
	id     int64
	end    context.CancelFunc
	mu     sync.Mutex
	change *prepared.Change // nil until it is prepared, and after it was used
	shown  *access.Snapshot // what came of it then: several may follow the same revision at once
	past   atomic.Int64     // the revision of that: whoever follows must wait for nothing to ask
	author fact.UserID
	ids    access.IDs
	digest string
}

const (
	sqlStaged    = `select author, ids, digest, operations from staging where id = $1 and ready`
	sqlStillThis = `select exists (select from staging where id = $1), exists (select from revision where staged = $1)`
)

// prepareStaged begins to prepare the large change that lies ready, if it is another
// program's and is not prepared already. 0 is none.
func (l *Ledger) prepareStaged(id int64) {
	now := l.prepared.Load()
	if now != nil && now.isPast(l.Head().Revision) {
		l.prepared.CompareAndSwap(now, nil)
	}
	if id == 0 || id == l.staging.Load() || now != nil && now.id == id {
		return
	}
	if now != nil {
		now.end()
	}
	ctx, cancel := context.WithCancel(l.run)
	f := &following{id: id, end: cancel}
	l.prepared.Store(f)
	l.done.Add(1)
	go func() {
		defer l.done.Done()
		defer cancel()
		err := caught.Do(func() error { return f.prepare(ctx, l) })
		if err == nil {
			return
		}
		if ctx.Err() == nil && !errors.Is(err, errGivenUp) {
			l.log.Info("a large change is taken over when it is published, and not before", "why", err)
		}
		l.prepared.CompareAndSwap(f, nil)
	}()
}

// isPast says that the change was shown, and that others came after it: nobody comes to it
// any more.
func (f *following) isPast(head int64) bool {
	n := f.past.Load()
	return n != 0 && n < head
}

// prepare reads a staged change, applies it to the head, and keeps it up with the head until
// it is published or given up.
func (f *following) prepare(ctx context.Context, l *Ledger) error {
	conn, err := l.session(ctx)
	if err != nil {
		return err
	}
	defer hangUp(conn)
	var n int
	r := revisions.Revision{Revision: prepared.Provisional, Format: revisions.Format}
	err = conn.QueryRow(ctx, sqlStaged, f.id).Scan((*uint32)(&r.Author), &r.TakenIDs, &f.digest, &n)
	if err != nil {
		return err
	}
	f.author, f.ids = r.Author, r.TakenIDs
	if n > fewStaged {
		defer gctune.Busy()() // until it is used
	}
	c, err := f.apply(ctx, conn, l.Head(), &r)
	if err != nil {
		return err
	}
	f.mu.Lock()
	f.change = c
	f.mu.Unlock()
	if _, err := conn.Exec(ctx, sqlShareLock, database.LockReady, int32(f.id)); err != nil {
		return err
	}
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		if done, err := f.keepUp(ctx, conn, l.Head().Revision); done || err != nil {
			return err
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return nil
		}
	}
}

// keptUp is how many revisions are taken in at once: whoever shows the change waits for them.
const keptUp = 100

// keepUp has the change follow the head, some way; done is true once it was used, or is given
// up. It waits for the database no longer than whoever follows it.
func (f *following) keepUp(ctx context.Context, conn *pgx.Conn, head int64) (done bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, database.AnswersIn)
	defer cancel()
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.change == nil {
		return true, nil
	}
	var waits, published bool
	err = conn.QueryRow(ctx, sqlStillThis, f.id).Scan(&waits, &published)
	switch {
	case err == nil && waits:
		err = takeIn(ctx, conn, f.change, min(head, f.change.Revision()+keptUp))
	case err == nil && !published:
		err = errGivenUp
	}
	if err != nil {
		f.change = nil
	}
	return false, err
}

// errGivenUp says that a large change will not be published.
var errGivenUp = errors.New("it was given up")

// shows makes a revision of the change, if that is what it is, upon the snapshot before it.
func (f *following) shows(ctx context.Context, q factrows.Querier, r *revisions.Revision, before int64) (*access.Snapshot, error) {
	var doc struct {
		Digest string `json:"digest"`
	}
	if err := json.Unmarshal(r.Canonical, &doc); err != nil || doc.Digest != f.digest || r.Author != f.author || !reflect.DeepEqual(r.TakenIDs, f.ids) {
		return nil, errors.New("it is not what was written before")
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.shown != nil && f.shown.Revision == r.Revision {
		return f.shown, nil
	}
	c := f.change
	if f.change = nil; c == nil {
		return nil, errors.New("it was not prepared")
	}
	if err := takeIn(ctx, q, c, before); err != nil {
		return nil, err
	}
	if c.Revision() != before {
		return nil, fmt.Errorf("it follows revision %d", c.Revision())
	}
	f.shown = c.Number(r.Revision, r.At)
	f.past.Store(r.Revision)
	return f.shown, nil
}

// apply applies the operations of a staged change as they are read.
func (f *following) apply(ctx context.Context, conn *pgx.Conn, s *access.Snapshot, r *revisions.Revision) (*prepared.Change, error) {
	known := map[string]fact.Personal{}
	err := factrows.EachPersonal(ctx, conn, func(digest factrows.Digest, _ fact.UserID, p fact.Personal) { known[string(digest[:])] = p }, factrows.SQLPersonal+" where staged = $1", f.id)
	if err != nil {
		return nil, err
	}
	rows, err := conn.Query(ctx, "select body from operation where revision = $1 order by position", -f.id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	begun := prepared.Resume(s)
	r.Readies(begun.Draft)
	begun.Draft.Calm = pace.GiveWay
	digest := revisions.NewDigester()
	for n := 0; rows.Next(); n++ {
		raw := rows.RawValues()[0]
		digest.Add(raw)
		op, err := change.DecodeStored(raw)
		if err != nil {
			return nil, &revisions.Unreadable{Revision: r.Revision, Position: n, Cause: err}
		}
		if p, ok := op.(change.PersonalOperation); ok {
			p.Unseal(func(digest string) fact.Personal {
				raw, _ := hex.DecodeString(digest)
				return known[string(raw)]
			})
		}
		begun.Apply(op, 0)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	if digest.Sum() != f.digest {
		return nil, errors.New("its operations are not those that were written")
	}
	if _, err := revisions.FinishReplay(begun.Draft); err != nil {
		return nil, err
	}
	c, ok := prepared.Of(begun)
	if !ok {
		return nil, errors.New("it changes more than may wait")
	}
	return c, nil
}

// fewStaged is up to how many operations the heap need not grow for.
const fewStaged = 20_000

// follows is the snapshot that a revision leaves, upon the one before it: at once, where it
// was prepared.
func (l *Ledger) follows(ctx context.Context, q factrows.Querier, s *access.Snapshot, r *revisions.Revision) (*access.Snapshot, error) {
	if r.Staged == 0 {
		d, err := revisions.Replay(s, r)
		if err != nil {
			return nil, err
		}
		return d.Seal(r.Revision, r.At), nil
	}
	l.Lag(true)
	if f := l.prepared.Load(); f != nil && f.id == r.Staged {
		next, err := f.shows(ctx, q, r, s.Revision)
		if err == nil {
			return next, nil
		}
		l.log.Info("a large change is taken over now", "revision", r.Revision, "why", err)
	}
	if len(r.Operations) == 0 {
		whole, err := revisions.Read(ctx, q, s.Revision, 1, 0)
		if err != nil || len(whole) == 0 {
			return nil, errors.Join(err, errors.New("it is gone"))
		}
		*r = whole[0]
	}
	d, err := revisions.Replay(s, r)
	if err != nil {
		return nil, err
	}
	return d.Seal(r.Revision, r.At), nil
}
