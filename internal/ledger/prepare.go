package ledger

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"sync"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
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
	author fact.UserID
	ids    access.IDs
	digest string
}

const (
	sqlStaged    = `select author, ids, digest from staging where id = $1 and ready`
	sqlStillThis = `select exists (select from staging where id = $1)`
)

// prepareStaged begins to prepare the large change that lies ready, if it is another
// program's and is not prepared already. 0 is none.
func (l *Ledger) prepareStaged(id int64) {
	now := l.prepared.Load()
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
		if err != nil && ctx.Err() == nil {
			l.log.Info("a large change is taken over when it is published, and not before", "why", err)
		}
		f.take()
		l.prepared.CompareAndSwap(f, nil)
	}()
}

// take is the change as it is prepared, for its one use; nil when it is not.
func (f *following) take() *prepared.Change {
	f.mu.Lock()
	defer f.mu.Unlock()
	c := f.change
	f.change = nil
	return c
}

// prepare reads a staged change, applies it to the head, and keeps it up with the head until
// it is published or given up.
func (f *following) prepare(ctx context.Context, l *Ledger) error {
	conn, err := l.session(ctx)
	if err != nil {
		return err
	}
	defer hangUp(conn)
	r := Revision{Revision: prepared.Provisional, format: formatVersion, personal: map[string]fact.Personal{}}
	err = conn.QueryRow(ctx, sqlStaged, f.id).Scan((*uint32)(&r.Author), &r.ids, &f.digest)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	f.author, f.ids = r.Author, r.ids
	if err := readStaged(ctx, conn, &r, f.id); err != nil {
		return err
	}
	digest := newDigester()
	for _, raw := range r.raw {
		digest.add(raw)
	}
	if digest.sum() != f.digest {
		return errors.New("its operations are not those that were written")
	}
	d, err := r.applyTo(prepared.Resume(l.Head()))
	if err != nil {
		return err
	}
	c, ok := prepared.Of(d, r.Operations)
	if !ok {
		return errors.New("it changes more than may wait")
	}
	r = Revision{}
	f.mu.Lock()
	f.change = c
	f.mu.Unlock()
	if _, err := conn.Exec(ctx, sqlShareLock, lockReady, int32(f.id)); err != nil {
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

// keepUp has the change follow the head; done is true once it was used, or is given up.
func (f *following) keepUp(ctx context.Context, conn *pgx.Conn, head int64) (done bool, err error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.change == nil {
		return true, nil
	}
	var there bool
	if err := conn.QueryRow(ctx, sqlStillThis, f.id).Scan(&there); err != nil {
		return false, err
	}
	if !there { // published, and about to be shown here, or given up
		return false, nil
	}
	return false, takeIn(ctx, conn, f.change, head)
}

// shows makes a revision of the change, if that is what it is, upon the snapshot before it.
func (f *following) shows(ctx context.Context, q querier, r *Revision, before int64) (*access.Snapshot, error) {
	var doc struct {
		Digest string `json:"digest"`
	}
	if err := json.Unmarshal(r.canonical, &doc); err != nil || doc.Digest != f.digest || r.Author != f.author || !reflect.DeepEqual(r.ids, f.ids) {
		return nil, errors.New("it is not what was written before")
	}
	c := f.take()
	if c == nil {
		return nil, errors.New("it was not prepared")
	}
	if err := takeIn(ctx, q, c, before); err != nil {
		return nil, err
	}
	if c.Revision() != before {
		return nil, fmt.Errorf("it follows revision %d", c.Revision())
	}
	return c.Number(r.Revision, r.At), nil
}

// readStaged reads the operations of a staged change.
func readStaged(ctx context.Context, conn *pgx.Conn, r *Revision, id int64) error {
	known := map[string]fact.Personal{}
	err := eachPersonal(ctx, conn, func(digest sum, _ fact.UserID, p fact.Personal) { known[fmt.Sprintf("%x", digest[:])] = p }, sqlPersonal+" where staged = $1", id)
	if err != nil {
		return err
	}
	rows, err := conn.Query(ctx, "select body from operation where revision = $1 order by position", -id)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var body []byte
		if err := rows.Scan(&body); err != nil {
			return err
		}
		raw := json.RawMessage(bytes.Clone(body))
		op, err := change.DecodeStored(raw)
		if err != nil {
			return &unreadable{r.Revision, len(r.raw), err}
		}
		if p, ok := op.(change.PersonalOperation); ok {
			p.Unseal(func(digest string) fact.Personal { return known[digest] })
		}
		r.raw, r.Operations = append(r.raw, raw), append(r.Operations, op)
	}
	return rows.Err()
}

// follows is the snapshot that a revision leaves, upon the one before it: at once, where it
// was prepared.
func (l *Ledger) follows(ctx context.Context, q querier, s *access.Snapshot, r *Revision) (*access.Snapshot, error) {
	if r.staged == 0 {
		d, err := replay(s, r)
		if err != nil {
			return nil, err
		}
		return d.Seal(r.Revision, r.At), nil
	}
	l.rowsLag()
	if f := l.prepared.Load(); f != nil && f.id == r.staged {
		next, err := f.shows(ctx, q, r, s.Revision)
		if err == nil {
			return next, nil
		}
		l.log.Info("a large change is taken over now", "revision", r.Revision, "why", err)
	}
	if len(r.Operations) == 0 {
		whole, err := readRevisions(ctx, q, s.Revision, 1, 0)
		if err != nil || len(whole) == 0 {
			return nil, errors.Join(err, errors.New("it is gone"))
		}
		*r = whole[0]
	}
	d, err := replay(s, r)
	if err != nil {
		return nil, err
	}
	return d.Seal(r.Revision, r.At), nil
}
