package ledger

import (
	"bytes"
	"cmp"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/trace"
)

// Change is a list of operations with a reason, made together or not at all.
type Change struct {
	Author     fact.UserID // 0 is the host itself
	AuthorName string      // instead of Author, in LoadHistory
	Via        string      // console, api, command line, set-up …
	Reason     string
	Operations []change.Operation

	// Prepare sets in a draft, before anything is applied to it, what its author may
	// know and do; nil leaves it at everything. It is called once for each head the
	// change is judged on, by the goroutine that judges.
	Prepare func(*change.Draft, calendar.Instant)

	// Claimed is when history loaded into an empty ledger says it happened;
	// zero for now.
	Claimed calendar.Instant

	// Key makes asking twice safe: a second change by the same author with
	// the same key and the same Request is answered with the first's revision.
	Key     string
	Request []byte // digest of what was asked

	// Rejudge looks at a large change once more before it is published: d is what it does
	// to the users whom others gave something meanwhile, upon the newest snapshot, and
	// after is what the whole leaves. An error refuses the change. Nil refuses nothing.
	Rejudge func(d *change.Draft, after *access.Snapshot, at calendar.Instant) error

	// Watch hears now and then how far the change is: in which phase, and how many
	// operations of it were done then, of how many. An error refuses the change. Nil hears
	// nothing.
	Watch func(phase Phase, done, of int) error
}

// Phase is what is done with a change.
type Phase string

// The phases of a change, in their order. A small one has none but the first.
const (
	Judging    Phase = "working out the effect"
	Waiting    Phase = "waiting for another large change"
	Writing    Phase = "writing"
	Preparing  Phase = "readying all services"
	Publishing Phase = "publishing"
)

// watchEvery is after how many operations a watcher hears of them.
const watchEvery = 256

// Watched tells a watcher that i operations were applied.
func (c *Change) Watched(i int) error {
	if i%watchEvery != 0 && i != len(c.Operations) {
		return nil
	}
	return c.watched(Judging, i)
}

func (c *Change) watched(phase Phase, done int) error {
	if c.Watch == nil {
		return nil
	}
	return c.Watch(phase, done, len(c.Operations))
}

// Judge decides on a change whose operations have been applied to the head:
// it looks at the draft's faults, the author's authority and the guard rails.
// An error refuses the change.
type Judge func(d *change.Draft, at calendar.Instant) error

// noFaults is the judge of the host itself.
func noFaults(d *change.Draft, _ calendar.Instant) error {
	if len(d.Faults) > 0 {
		return &d.Faults[0]
	}
	return nil
}

// Committed is a change that is in the ledger, or needs no place in it.
type Committed struct {
	Revision  int64
	At        calendar.Instant
	Unchanged bool // the facts were so already; Revision is the head's
	Repeated  bool // the same change was committed before under the same key
	Draft     *change.Draft

	// Operations are those of the change as they were applied, with ids.
	Operations []change.Operation
}

// ErrKeyReused is returned for an idempotency key used with another change.
var ErrKeyReused = errors.New("this idempotency key was used for another change")

// ErrNotEmpty is returned for dated history offered to a ledger that has some.
var ErrNotEmpty = errors.New("the ledger has revisions already")

type pending struct {
	ctx    context.Context
	change *Change
	judge  Judge
	staged *staged // a large one that is to be published; nil: it is judged now
	result Committed
	err    error
	done   chan struct{}
}

func (p *pending) answered() bool {
	select {
	case <-p.done:
		return true
	default:
		return false
	}
}

func (p *pending) answer(c Committed, err error) {
	p.result, p.err = c, err
	close(p.done)
}

// Commit judges a change at the head and puts it into the ledger. It returns
// once PostgreSQL has it, or it was refused, or the database is away.
func (l *Ledger) Commit(ctx context.Context, c *Change, judge Judge) (Committed, error) {
	ctx, span := otel.Tracer("ableroster/ledger").Start(ctx, "commit", trace.WithAttributes(attribute.Int("able_roster.operations", len(c.Operations))))
	defer span.End()
	if why := l.Lost(); why != "" {
		return Committed{}, fmt.Errorf("%w: %s", ErrLost, why)
	}
	if len(c.Operations) >= StagedFrom && c.Claimed == 0 {
		if r, done, err := l.commitLarge(ctx, c, judge); done || err != nil {
			return r, err
		}
	}
	if err := l.unheld(ctx, c); err != nil {
		return Committed{}, err
	}
	r, err := l.enqueue(&pending{ctx: ctx, change: c, judge: judge})
	if err == nil && r.Unchanged && !r.Repeated && c.Key != "" {
		return l.nothingToDo(ctx, c, r)
	}
	return r, err
}

// enqueue has a change committed in its turn.
func (l *Ledger) enqueue(p *pending) (Committed, error) {
	p.done = make(chan struct{})
	l.gate.RLock()
	if l.shut {
		l.gate.RUnlock()
		return Committed{}, ErrClosed
	}
	l.queue <- p
	l.gate.RUnlock()
	<-p.done
	return p.result, p.err
}

// Known says whether a change was made before under its key, and as what.
func (l *Ledger) Known(ctx context.Context, c *Change) (Committed, bool, error) {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return Committed{}, false, Unavailable(err)
	}
	defer conn.Release()
	var w writer
	r, err := w.repeated(ctx, conn, c)
	if errors.Is(err, ErrKeyReused) {
		return r, true, nil
	}
	return r, r.Repeated, Unavailable(err)
}

// nothingToDo keeps that a change had nothing to do, so that it does nothing when it
// is sent again under its key; what was kept first is the answer.
func (l *Ledger) nothingToDo(ctx context.Context, c *Change, r Committed) (Committed, error) {
	tag, err := l.pool.Exec(ctx, `insert into idempotency (caller, key, request, revision, unchanged) values ($1, $2, $3, $4, true) on conflict do nothing`,
		uint32(c.Author), c.Key, c.Request, r.Revision)
	if err != nil || tag.RowsAffected() > 0 {
		return r, Unavailable(err)
	}
	w := writer{}
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return Committed{}, Unavailable(err)
	}
	defer conn.Release()
	first, err := w.repeated(ctx, conn, c)
	return first, Unavailable(err)
}

const (
	groupMost   = 256
	commitLimit = 30 * time.Second
)

// commits is the one queue: it takes what waits, to be committed together.
func (l *Ledger) commits() {
	defer l.done.Done()
	defer close(l.writes)
	var last *attempt
	for p := range l.queue {
		group := []*pending{p}
		var large []*pending // to be published: each by itself
	gather:
		for len(group) < groupMost {
			select {
			case q, ok := <-l.queue:
				if !ok {
					break gather
				}
				group = append(group, q)
			default:
				break gather
			}
		}
		group = slices.DeleteFunc(group, func(p *pending) bool {
			if p.staged != nil {
				large = append(large, p)
			}
			return p.staged != nil
		})
		if len(group) > 0 {
			l.judgeAhead(&last, group)
		}
		for _, p := range large {
			l.judgeAhead(&last, []*pending{p})
			<-last.done // what is judged next builds on it
		}
	}
}

// judgeAhead judges a group and hands it over to be written.
func (l *Ledger) judgeAhead(last **attempt, group []*pending) {
	if err := caught.Do(func() error { *last = l.ahead(*last, group); return nil }); err != nil {
		l.log.Error("panic while judging", "error", err)
		for _, p := range group {
			if !p.answered() {
				p.answer(Committed{}, err)
			}
		}
		return
	}
	l.writes <- *last
}

func (l *Ledger) commitGroup(a *attempt) {
	defer close(a.done)
	// Not the callers' contexts: one of them going away must not break off
	// what the others wait for.
	ctx, cancel := context.WithTimeout(a.traced(), commitLimit)
	defer cancel()
	defer a.w.stream.drop()
	defer l.survive(a)
	done, err := l.writeAhead(ctx, a)
	l.derailed.Store(l.derailed.Load() || !done)
	if done || err != nil {
		a.answer(err)
		return
	}
	a.w.stream.drop() // or what is written anew would wait for it
	err = l.tryGroup(ctx, &a.group)
	for errors.Is(err, errMoved) && ctx.Err() == nil {
		err = l.tryGroup(ctx, &a.group)
	}
	for _, p := range a.group { // whoever is not answered yet
		p.answer(Committed{}, Unavailable(err))
	}
}

// survive answers a group whose writing panicked: what became of it is known once the
// head is read anew.
func (l *Ledger) survive(a *attempt) {
	v := recover()
	if v == nil {
		return
	}
	err := caught.Do(func() error { panic(v) })
	l.log.Error("panic while committing", "error", err)
	l.derailed.Store(true)
	for _, p := range a.group {
		if !p.answered() {
			p.answer(Committed{}, err)
		}
	}
}

// tryGroup judges a group at the head, once that is locked, and commits it.
func (l *Ledger) tryGroup(ctx context.Context, group *[]*pending) error {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	w := writer{epoch: l.epoch, conn: conn.Conn()}
	if err := l.lock(ctx, conn, &w, large(*group)); err != nil {
		return errors.Join(err, rollback(ctx, conn))
	}
	if w.revision > l.Head().Revision {
		// Another program has committed since; none can while we hold the lock.
		if err := l.advance(ctx); err != nil {
			return errors.Join(err, rollback(ctx, conn))
		}
	}
	head := l.head.Load()
	if !head.is(w.revision, w.hash) {
		_ = rollback(ctx, conn)
		// Revisions were lost, or this transaction was ended meanwhile, and others went on.
		err := l.reading(ctx, func(tx pgx.Tx) error { return l.stands(ctx, tx, head) })
		return cmp.Or(err, errMoved)
	}
	w.head = head.snapshot
	var won []*pending
	var results []Committed
	for i, p := range *group {
		r, err := w.repeated(ctx, conn, p.change)
		before := r.Repeated // by a change that is in the ledger; else it stands with this transaction
		if err == nil && !before {
			r, err = w.add(p)
		}
		var lost *lostError
		switch {
		case errors.As(err, &lost):
			// The connection, not the change, is at fault.
			*group = append(won, (*group)[i:]...)
			return errors.Join(err, rollback(ctx, conn))
		case err != nil:
			p.answer(Committed{}, err)
		case r.Unchanged && !w.moved() || before:
			p.answer(r, nil)
		default:
			won = append(won, p)
			results = append(results, r)
		}
	}
	*group = won
	if len(won) == 0 || !w.moved() {
		for i, p := range won {
			p.answer(results[i], nil)
		}
		*group = nil
		return rollback(ctx, conn)
	}
	if err := l.finish(ctx, conn, &w, new(pgx.Batch)); err != nil {
		return errors.Join(err, rollback(ctx, conn))
	}
	*group = nil
	for i, p := range won {
		p.answer(results[i], nil)
	}
	return nil
}

// rollback clears a connection for its next use; one that cannot be cleared
// is closed, and the pool forgets it.
func rollback(ctx context.Context, conn *pgxpool.Conn) error {
	if _, err := conn.Exec(ctx, "rollback"); err != nil {
		conn.Conn().Close(ctx)
	}
	return nil
}

// lostError wraps an error of the connection.
type lostError struct{ error }

func (e *lostError) Unwrap() error { return e.error }

// writer makes the revisions of one transaction.
type writer struct {
	rows
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

	conn   *pgx.Conn // that holds the head; nil while it is judged ahead
	ledger *Ledger   // where large changes may be written while they are judged; nil: not
	stream *stream   // the operations of one of them
	beside *reader   // what is judged ahead is read back beside it; nil: at once
	behind bool      // the fact rows do not reach the head yet: those of this follow later too
	large  *staged   // that becomes a revision
	epoch  int
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

// large says whether judging a group may take long.
func large(group []*pending) bool {
	n := 0
	for _, p := range group {
		n += len(p.change.Operations)
	}
	return n >= streamFrom
}

// lock begins a transaction that holds the head, and reads it and the clock; long says
// that it may stand for long.
func (l *Ledger) lock(ctx context.Context, conn *pgxpool.Conn, w *writer, long bool) error {
	defer l.took("wait", time.Now())
	var b pgx.Batch
	b.Queue("begin")
	if long {
		b.Queue(idle)
	}
	b.Queue(sqlLockHead)
	r := conn.SendBatch(ctx, &b)
	defer r.Close()
	for range b.Len() - 1 {
		if _, err := r.Exec(); err != nil {
			return err
		}
	}
	var reached int64
	if err := r.QueryRow().Scan(&w.revision, &w.hash, &w.at, &w.now, &reached); err != nil {
		return err
	}
	w.behind = reached != w.revision
	l.readClock(w.now)
	return r.Close()
}

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
	var early *stream
	var seals []sealed
	var err error
	if len(ops) >= streamFrom && w.ledger != nil && !w.moved() && len(d.Faults) == 0 && len(changes) > 0 {
		if seals, err = sealDraft(d); err != nil {
			return Committed{}, err
		}
		early = w.ledger.stream(d.Revision, ops, w.before)
		early.readsBackAs(base, d, at, ops, changes, seals) // while it is judged
		defer func() {
			if w.stream != early { // refused
				early.drop()
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
		if seals, err = sealDraft(d); err != nil {
			return Committed{}, err
		}
	}
	why := seal([]byte(c.Reason))
	doc := document{Version: formatVersion, Revision: d.Revision, At: at, Recorded: recorded, Claimed: c.Claimed != 0, Epoch: w.epoch,
		IDs: d.Took(), Operations: len(ops), Author: c.Author.String(), Via: c.Via, Reason: hex.EncodeToString(why.digest)}
	var raw []json.RawMessage
	if early != nil {
		w.gather(d.Revision, changes, seals) // while the rest is encoded; there is nothing else in w
		if err = <-early.readsBack; err != nil {
			w.rows = rows{}
		}
		doc.Digest = early.digest
	} else if raw, err = storedAll(ops); err == nil {
		doc.Digest = digestAll(raw)
		err = w.beside.read(func() error { return readBack(base, d, at, ops, slices.Values(raw), changes, seals) })
	}
	if err != nil {
		return Committed{}, err
	}
	canonical, err := doc.canonical()
	if err != nil {
		if early != nil {
			w.rows = rows{}
		}
		return Committed{}, err
	}
	w.revise(&doc, c, why, canonical, nil)
	if early == nil {
		for i, op := range raw {
			w.insert("operation", operationRow(d.Revision, i, ops[i], op)...)
		}
		w.gather(d.Revision, changes, seals)
	} else {
		w.stream = early
	}
	for _, op := range ops {
		switch o := op.(type) {
		case *operation.EraseUser:
			n, _ := fact.ParseID("user", string(o.User))
			w.erased = append(w.erased, n)
		case *operation.EraseReason:
			digest, _ := hex.DecodeString(o.Digest) // what is no digest erases nothing
			w.reasons = append(w.reasons, digest)
		case *operation.MendOperation:
			w.mended = append(w.mended, []any{o.Revision, o.Position, d.Revision})
		}
	}
	w.ends(changes)
	w.head = d.Seal(d.Revision, at)
	return Committed{Revision: d.Revision, At: at, Draft: d, Operations: ops}, nil
}

// revise gathers what a revision is itself. staged is where its operations were written
// before, nil for those that are written with it.
func (w *writer) revise(doc *document, c *Change, why sealed, canonical []byte, staged any) {
	w.at = doc.At.Time()
	row := []any{doc.Revision, doc.At.Time(), doc.Recorded.Time(), doc.Claimed, orNull(c.Author), c.Via, why.digest, formatVersion, w.epoch, idsOrNull(doc.IDs), staged, canonical, nil}
	w.insert("revision", row...)
	w.hashes = append(w.hashes, row)
	w.insert("reason", why.digest, why.salt, c.Reason)
	if c.Key != "" {
		w.insert("idempotency", uint32(c.Author), c.Key, c.Request, doc.Revision)
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
func (w *writer) gather(revision int64, changes []access.RowChange, seals []sealed) {
	for _, s := range seals {
		w.insert("personal", s.digest, uint32(s.user), s.salt, s.text, nil)
	}
	w.facts(revision, changes)
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
		w.hash = chain(w.hash, row[len(row)-2].([]byte))
		row[len(row)-1] = w.hash
	}
	l.own.Store(w)
	defer l.own.Store(nil)
	var said time.Time
	var withRows any = !w.behind
	if w.large != nil {
		withRows = nil // they follow
	}
	late := withRows != true
	if late {
		w.leaveRows()
	}
	b.Queue(sqlAdvance, w.revision, base, w.head.Revision, w.hash, w.at, withRows).QueryRow(func(r pgx.Row) error { return r.Scan(&said) })
	if err := w.write(ctx, conn.Conn(), b); err != nil {
		return err
	}
	if len(w.erased) > 0 { // after what this transaction itself put there
		for _, sql := range []string{sqlForgetRefusals, sqlForgetPending, sqlForgetSaved, sqlErase} {
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
	b.Queue("commit")
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
