package ledger

import (
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/ledger/stream"
	_ "ableroster/internal/operation"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/rules"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// writer makes the revisions of one transaction.
type writer struct {
	factrows.Rows
	head     *access.Snapshot
	revision int64 // the head's when the transaction began
	hash     []byte
	at, now  time.Time
	keys     map[string]made // what was made under idempotency keys in this transaction
	erased   []uint32        // users whose personal values go
	reasons  [][]byte        // the digests of reasons that go
	mended   [][]any         // operations that are mended: see sqlMade
	shut     []uint32        // users who are suspended or depart: what they sign in by ends
	hashes   [][]any         // the rows of revisions, whose hashes follow once the head's is known

	conn   *pgx.Conn      // that holds the head; nil while it is judged ahead
	ledger *Ledger        // where large changes may be written while they are judged; nil: not
	stream *stream.Stream // the operations of one of them
	beside *stream.Reader // what is judged ahead is read back beside it; nil: at once
	alone  bool           // one batch is all there is to write: a transaction by itself, that needs no begin and commit
	behind bool           // the fact rows do not reach the head yet: those of this follow later too
	large  *staged        // that becomes a revision
	epoch  int
	after  chan struct{}   // closed once it wrote, or failed to; nil before it begins
	before <-chan struct{} // closed once what is written before is; nil: nothing is
}

// writes says whether a revision is one of the writer's. What it is asked of is in the
// ledger, so its hashes were worked out.
func (w *writer) writes(hash []byte) bool {
	for _, row := range w.hashes {
		if h, ok := row[len(row)-1].([]byte); ok && bytes.Equal(h, hash) {
			return true
		}
	}
	return false
}

func (w *writer) moved() bool { return w.head.Revision != w.revision }

// tick is the time of the next revision: the database's clock, and later than
// the revision before.
func (w *writer) tick() calendar.Instant {
	return max(calendar.At(w.now), calendar.At(w.at)+1)
}

// add judges a change at the head the writer has come to, and gathers its rows. A
// panic in an operation or in judging refuses that change, and nothing else.
func (w *writer) add(p *pending) (done Committed, err error) {
	err = caught.Do(func() (err error) {
		done, err = w.judgeAndGather(p)
		return err
	})
	return done, err
}

func (w *writer) judgeAndGather(p *pending) (Committed, error) {
	c := p.change
	if m, there := w.keys[keyOf(c)]; there { // twice within a moment: one change, and one answer
		if !bytes.Equal(m.request, c.Request) {
			return Committed{}, ErrKeyReused
		}
		return Committed{Revision: m.revision, At: m.at, Repeated: true}, nil
	}
	if p.staged != nil {
		return w.publish(p)
	}
	recorded := w.tick()
	at := recorded
	if c.Claimed != 0 {
		if w.revision != 0 {
			return Committed{}, ErrNotEmpty
		}
		at = max(c.Claimed, calendar.At(w.at)+1)
	}
	base := w.head
	d := change.NewDraft(base)
	d.Author = c.Author
	if c.Prepare != nil {
		c.Prepare(d, at)
	}
	ops := make([]change.Operation, len(c.Operations))
	for i, op := range c.Operations {
		if err := c.Watched(i); err != nil {
			return Committed{}, err
		}
		ops[i] = d.Apply(i, op, at)
	}
	d.Finish()
	changes := d.Changes()
	var early *stream.Stream
	var seals []revisions.Sealed
	var err error
	if len(ops) >= stream.StreamFrom && w.ledger != nil && !w.moved() && len(d.Faults) == 0 && len(changes) > 0 {
		if seals, err = revisions.SealDraft(d); err != nil {
			return Committed{}, err
		}
		early = stream.Begin(w.ledger.pool, d.Revision, ops, w.before)
		early.ReadsBackAs(base, d, at, ops, changes, seals) // while it is judged
		defer func() {
			if w.stream != early { // refused
				early.Drop()
			}
		}()
	}
	if err := p.judge(d, at); err != nil {
		return Committed{}, err
	}
	if err := c.Watched(len(ops)); err != nil {
		return Committed{}, err
	}
	if len(changes) == 0 {
		return Committed{Revision: w.head.Revision, At: w.head.At, Unchanged: true, Draft: d, Operations: ops}, nil
	}
	if early == nil {
		if seals, err = revisions.SealDraft(d); err != nil {
			return Committed{}, err
		}
	}
	why := revisions.Seal([]byte(c.Reason))
	doc := revisions.Document{Version: revisions.Format, Revision: d.Revision, At: at, Recorded: recorded, Claimed: c.Claimed != 0, Epoch: w.epoch,
		IDs: d.Took(), Operations: len(ops), Author: c.Author.String(), Via: c.Via, Reason: hex.EncodeToString(why.Digest), Reference: c.Reference}
	var raw []json.RawMessage
	if early != nil {
		w.gather(d.Revision, changes, seals) // while the rest is encoded; there is nothing else in w
		if err = <-early.ReadsBack; err != nil {
			w.Rows = factrows.Rows{}
		}
		doc.Digest = early.Digest
	} else if raw, err = revisions.StoredAll(ops); err == nil {
		doc.Digest = revisions.DigestAll(raw)
		err = w.beside.Read(func() error { return stream.ReadBack(base, d, at, ops, slices.Values(raw), changes, seals) })
	}
	if err != nil {
		return Committed{}, err
	}
	canonical, err := doc.Canonical()
	if err != nil {
		if early != nil {
			w.Rows = factrows.Rows{}
		}
		return Committed{}, err
	}
	w.revise(&doc, c, why, canonical, nil)
	if early == nil {
		for i, op := range raw {
			w.Insert("operation", stream.OperationRow(d.Revision, i, ops[i], op)...)
		}
		w.gather(d.Revision, changes, seals)
	} else {
		w.stream = early
	}
	for _, op := range ops {
		switch o := op.(type) {
		case *people.EraseUser:
			n, _ := fact.ParseID("user", string(o.User))
			w.erased = append(w.erased, n)
		case *rules.EraseReason:
			digest, _ := hex.DecodeString(o.Digest) // what is no digest erases nothing
			w.reasons = append(w.reasons, digest)
		case *rules.MendOperation:
			w.mended = append(w.mended, []any{o.Revision, o.Position, d.Revision})
		}
	}
	w.ends(changes)
	w.head = d.Seal(d.Revision, at)
	return Committed{Revision: d.Revision, At: at, Draft: d, Operations: ops}, nil
}

// revise gathers what a revision is itself. staged is where its operations were written
// before, nil for those that are written with it.
func (w *writer) revise(doc *revisions.Document, c *Change, why revisions.Sealed, canonical []byte, staged any) {
	w.at = doc.At.Time()
	row := []any{doc.Revision, doc.At.Time(), doc.Recorded.Time(), doc.Claimed, orNull(c.Author), c.Via, c.Reference, why.Digest, revisions.Format, w.epoch, idsOrNull(doc.IDs), staged, canonical, nil}
	w.Insert("revision", row...)
	w.hashes = append(w.hashes, row)
	w.Insert("reason", why.Digest, why.Salt, c.Reason)
	if c.Key != "" {
		w.Insert("idempotency", uint32(c.Author), c.Key, c.Request, doc.Revision)
		if w.keys == nil {
			w.keys = map[string]made{}
		}
		w.keys[keyOf(c)] = made{doc.Revision, doc.At, c.Request}
	}
}

// ends notes for whom what they sign in by ends.
func (w *writer) ends(changes []access.RowChange) {
	for _, x := range changes {
		if after, ok := x.After.(*fact.User); ok && (after.Status == fact.Suspended || after.Status == fact.Departed) {
			if before, ok := x.Before.(*fact.User); ok && before.Status != after.Status {
				w.shut = append(w.shut, uint32(after.ID))
			}
		}
	}
}

// gather gathers the rows of what a revision changed.
func (w *writer) gather(revision int64, changes []access.RowChange, seals []revisions.Sealed) {
	for _, s := range seals {
		w.Insert("personal", s.Digest, uint32(s.User), s.Salt, s.Text, nil)
	}
	w.Facts(revision, changes)
}

// made is a change of this transaction, and the digest of what was asked.
type made struct {
	revision int64
	at       calendar.Instant
	request  []byte
}

// keyOf is what a change is repeated by; nothing where it has no key.
func keyOf(c *Change) string {
	if c.Key == "" {
		return ""
	}
	return c.Author.String() + " " + c.Key
}

func orNull(id fact.UserID) any {
	if id == 0 {
		return nil
	}
	return uint32(id)
}

// idsOrNull are the numbers a revision took as they are kept, nil for none.
func idsOrNull(ids access.IDs) any {
	if len(ids) == 0 {
		return nil
	}
	raw, _ := json.Marshal(ids) // of numbers alone
	return string(raw)
}

// finish writes what was gathered, moves the head and commits, by one batch
// unless there is much to write, and publishes what the head is then.
func (l *Ledger) finish(ctx context.Context, conn *pgxpool.Conn, w *writer, b *pgx.Batch) error {
	defer l.took("write", time.Now())
	base := w.hash
	for _, row := range w.hashes {
		w.hash = revisions.Chain(w.hash, row[len(row)-2].([]byte))
		row[len(row)-1] = w.hash
	}
	w.after = make(chan struct{})
	l.own.Store(w)
	defer func() {
		l.own.Store(nil)
		close(w.after)
	}()
	var said time.Time
	var withRows any = !w.behind
	if w.large != nil {
		withRows = nil // they follow
	}
	late := withRows != true
	if late {
		w.LeaveRows()
	}
	advance := sqlAdvance
	if l.unfollowed.Load() {
		advance = sqlAdvanceUntold
	}
	b.Queue(advance, w.revision, base, w.head.Revision, w.hash, w.at, withRows).QueryRow(func(r pgx.Row) error { return r.Scan(&said) })
	if err := w.Write(ctx, conn.Conn(), b); err != nil {
		return err
	}
	if len(w.erased) > 0 { // after what this transaction itself put there
		for _, sql := range []string{sqlForgetRefusals, sqlForgetPending, sqlForgetSaved, sqlForgetUploads, sqlForgetExternal, sqlForgetValues, sqlForgetProviders, sqlForgetConnections, sqlErase} {
			b.Queue(sql, w.erased)
		}
	}
	if len(w.reasons) > 0 {
		b.Queue(sqlEraseReasons, w.reasons)
	}
	for _, m := range w.mended {
		b.Queue(sqlMade, m...)
	}
	if len(w.shut) > 0 {
		for _, sql := range []string{sqlEndSessions, sqlEndTokens, sqlEndLinks} {
			b.Queue(sql, w.shut)
		}
		b.Queue(sqlTellKeys)
	}
	if w.large != nil {
		b.Queue(sqlEndStaging, w.large.id)
	}
	if !w.alone {
		b.Queue("commit")
	}
	if err := conn.SendBatch(ctx, b).Close(); err != nil {
		return err
	}
	l.readClock(said)
	if late {
		l.rowsFollow(w)
	}
	l.publish(tip{snapshot: w.head, hash: w.hash}, time.Now())
	l.analyze(w.grown())
	return nil
}

// repeated looks a change's idempotency key up.
func (w *writer) repeated(ctx context.Context, conn *pgxpool.Conn, c *Change) (Committed, error) {
	if c.Key == "" {
		return Committed{}, nil
	}
	var revision int64
	var request []byte
	var at time.Time
	var unchanged bool
	err := conn.QueryRow(ctx, `select i.revision, i.request, r.at, i.unchanged from idempotency i join revision r using (revision)
		where i.caller = $1 and i.key = $2`, uint32(c.Author), c.Key).Scan(&revision, &request, &at, &unchanged)
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		return Committed{}, nil
	case err != nil:
		return Committed{}, &lostError{err}
	case !bytes.Equal(request, c.Request):
		return Committed{}, ErrKeyReused
	}
	return Committed{Revision: revision, At: calendar.At(at), Repeated: true, Unchanged: unchanged}, nil
}

// rowsFollow notes that the rows of what was just committed are to be written.
func (l *Ledger) rowsFollow(w *writer) {
	if w.large != nil {
		l.HaveRows(w.large.change.Changes, l.Head(), w.head)
	}
	l.Lag(true)
}
