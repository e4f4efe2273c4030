package ledger

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"reflect"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// sqlVerifyHead is the head, and whether a large change explains that rows are missing.
const sqlVerifyHead = `select revision, hash, at, rows_through, coalesce(rows_of, 0),
	exists (select from revision r where r.revision > rows_through and r.staged is not null),
	exists (select from revision r where r.staged is not null) from ledger_head`

// rowsBeyond says whether a table has rows that open or close after a revision, but for those of
// one that is being written.
func rowsBeyond(ctx context.Context, q querier, reach, but int64) (beyond bool, err error) {
	for i := range tables {
		rows, err := q.Query(ctx, "select exists (select from "+tables[i].name+" where opened > $1 and opened <> $2 or closed > $1 and closed <> $2)", reach, but)
		if err != nil {
			return false, err
		}
		if beyond, err = pgx.CollectExactlyOneRow(rows, pgx.RowTo[bool]); beyond || err != nil {
			return beyond, err
		}
	}
	return false, nil
}

// Verification is what verifying the ledger found.
type Verification struct {
	Revisions int64   // how many were verified
	Hash      string  // of the last one that fits
	Rows      int64   // up to which revision the rows of facts were compared: those of a large change follow it
	Mended    []int64 // revisions of which operations were mended: see Mend
	First     int64   // the first revision that does not fit, or 0
	Fault     string  // what is wrong with it
}

// How much is verified at once: so many revisions, or fewer with so many operations.
const (
	portionRevisions  = 500
	portionOperations = 20_000
)

const sqlPortion = `select (select count(*) from operation o where o.revision = coalesce(-r.staged, r.revision)) from revision r where revision > $1 order by revision limit $2`

// portionAfter is how many revisions after one are verified at once, at least one.
func portionAfter(ctx context.Context, q querier, after int64) (int, error) {
	rows, err := q.Query(ctx, sqlPortion, after, portionRevisions)
	if err != nil {
		return 0, err
	}
	counts, err := pgx.CollectRows(rows, pgx.RowTo[int])
	sum := 0
	for i, n := range counts {
		if sum += n; i > 0 && sum > portionOperations {
			return i, err
		}
	}
	return max(1, len(counts)), err
}

// Verify reads the stored bytes of every revision, recomputes the chain, and
// replays the operations against the rows. It stops at the first revision that
// does not fit. It reads the ledger in portions, and so needs no more memory than a
// snapshot and one of them. told hears, now and then, of how many revisions are verified;
// nil hears nothing.
func (l *Ledger) Verify(ctx context.Context, told func(done, of int64)) (Verification, error) {
	var v Verification
	err := l.reading(ctx, func(tx pgx.Tx) error {
		x := verifying{tx: tx, v: &v, s: access.Empty(), hash: []byte{}, opened: map[rowKey]int64{}, gone: gone{}, reasons: map[string]int64{}, rows: map[lifetime]*row{}}
		return x.all(ctx, told)
	})
	return v, err
}

// verifying is the verification of one ledger, as far as it has come.
type verifying struct {
	tx     pgx.Tx
	v      *Verification
	reach  int64 // how far the rows do
	s      *access.Snapshot
	hash   []byte
	ends   lifetimes
	rows   map[lifetime]*row // those of the revisions of a portion
	opened map[rowKey]int64  // which revision opened each row that is open
	gone   gone

	reasons map[string]int64 // digests of reasons that are gone, by the revision that names them
}

func (x *verifying) bad(n int64, format string, args ...any) {
	x.v.First, x.v.Fault = n, fmt.Sprintf(format, args...)
}

func (x *verifying) all(ctx context.Context, told func(done, of int64)) error {
	var headRevision int64
	var headHash []byte
	var headAt time.Time
	var rowsOf int64
	var largeAfter, anyLarge bool
	if err := x.tx.QueryRow(ctx, sqlVerifyHead).Scan(&headRevision, &headHash, &headAt, &x.reach, &rowsOf, &largeAfter, &anyLarge); err != nil {
		return err
	}
	switch {
	case x.reach > headRevision, x.reach < headRevision && !anyLarge:
		x.bad(min(x.reach, headRevision)+1, "the rows are said to reach revision %d, which no large change explains", x.reach)
		return nil
	case rowsOf != 0 && (rowsOf != x.reach+1 || x.reach == headRevision):
		x.bad(x.reach+1, "rows of revision %d are said to be on their way", rowsOf)
		return nil
	}
	if x.reach < headRevision && !largeAfter {
		// The rows of a large change are there, and those of what followed it are not yet.
		if beyond, err := rowsBeyond(ctx, x.tx, x.reach, rowsOf); err != nil {
			return err
		} else if beyond {
			x.bad(x.reach+1, "has rows, and they are said to reach revision %d alone", x.reach)
			return nil
		}
	}
	odd, err := readOdd(ctx, x.tx)
	if err != nil {
		return err
	}
	if odd.fault != "" {
		x.bad(odd.revision, "%s", odd.fault)
		return nil
	}
	x.v.Rows, x.ends.reach = x.reach, x.reach
	if x.reach == headRevision {
		x.ends.reach = math.MaxInt64 // there are none
	}
	err = x.throughout(ctx, headRevision, told)
	var row *spoiledRow
	if errors.As(err, &row) {
		x.bad(row.opened, "the row of %s %d cannot be read: %s", row.kind, row.id, row.cause)
		return nil
	}
	if err != nil || x.v.First != 0 {
		return err
	}
	switch {
	case headRevision != x.s.Revision || !bytes.Equal(headHash, x.hash):
		x.bad(x.s.Revision+1, "the head speaks of revision %d, which is not there", headRevision)
	case x.s.Revision > 0 && calendar.At(headAt) != x.s.At:
		x.bad(x.s.Revision, "the head says another time than its revision")
	case len(x.rows) > 0:
		x.left()
	default:
		if n := x.gone.first(x.s); n != 0 {
			x.bad(n, "the personal values kept apart are gone, and their user was not erased")
		} else if n := goneReasons(x.s, x.reasons); n != 0 {
			x.bad(n, "the reason kept apart is gone, and was not erased")
		}
	}
	if x.v.First == 0 {
		return x.checkMendings(ctx)
	}
	return nil
}

// throughout verifies revision by revision, to the end or to the first that does not fit.
func (x *verifying) throughout(ctx context.Context, head int64, told func(done, of int64)) error {
	if err := x.ends.open(ctx, x.tx); err != nil {
		return err
	}
	for x.v.First == 0 {
		if told != nil {
			told(x.v.Revisions, head)
		}
		more, err := x.portion(ctx)
		if err != nil {
			return err
		}
		if !more {
			break
		}
	}
	if x.v.First != 0 {
		return nil
	}
	return x.ends.upTo(ctx, x.tx, math.MaxInt64, x.rows)
}

// left says that there are ends of rows which no operation accounts for.
func (x *verifying) left() {
	var first lifetime
	for k := range x.rows {
		if first.revision == 0 || k.revision < first.revision {
			first = k
		}
	}
	x.bad(first.revision, "the rows open or close %s %d, which no operation does", first.kind, first.id)
}

// portion verifies the next revisions; more is false when there are none.
func (x *verifying) portion(ctx context.Context) (more bool, err error) {
	n, err := portionAfter(ctx, x.tx, x.s.Revision)
	if err != nil {
		return false, err
	}
	revs, err := readRevisions(ctx, x.tx, x.s.Revision, n, 0)
	var spoiled *unreadable
	var odd *unfit
	switch {
	case errors.As(err, &spoiled):
		x.bad(spoiled.revision, "operation %d cannot be read: %s", spoiled.position, spoiled.cause)
		return false, nil
	case errors.As(err, &odd):
		x.bad(odd.revision, "%s", odd.cause)
		return false, nil
	}
	if err != nil || len(revs) == 0 {
		return false, err
	}
	places := make([]int64, len(revs))
	for i := range revs {
		places[i] = revs[i].place()
	}
	derived, err := readDerived(ctx, x.tx, places)
	if err != nil {
		return false, err
	}
	apart, err := readApart(ctx, x.tx, revs)
	if err != nil {
		return false, err
	}
	if err := x.ends.upTo(ctx, x.tx, revs[len(revs)-1].Revision, x.rows); err != nil {
		return false, err
	}
	for i := range revs {
		r := &revs[i]
		if r.Revision != x.s.Revision+1 {
			x.bad(x.s.Revision+1, "is missing")
			return false, nil
		}
		for _, fault := range []func() string{
			func() string { return r.checkBytes(x.hash) },
			func() string { return r.checkApart(apart) },
			func() string { return r.checkDerived(derived[r.place()]) },
		} {
			if text := fault(); text != "" {
				x.bad(r.Revision, "%s", text)
				return false, nil
			}
		}
		x.gone.add(r, apart)
		if digest := hex.EncodeToString(r.reason); apart.blankReasons[digest] {
			x.reasons[digest] = r.Revision
		}
		d, err := replay(x.s, r)
		if err != nil {
			x.bad(r.Revision, "%s", err)
			return false, nil
		}
		if fault := checkWhose(d, apart); fault != "" {
			x.bad(r.Revision, "%s", fault)
			return false, nil
		}
		if fault := r.checkOperations(); fault != "" {
			x.bad(r.Revision, "%s", fault)
			return false, nil
		}
		if fault := r.checkRows(d, x.rows, x.opened); fault != "" && r.Revision <= x.reach {
			x.bad(r.Revision, "%s", fault)
			return false, nil
		}
		x.s, x.hash = d.Seal(r.Revision, r.At), r.hash
		x.v.Revisions, x.v.Hash = r.Revision, r.Hash
		if len(r.mended) > 0 {
			x.v.Mended = append(x.v.Mended, r.Revision)
		}
	}
	if len(x.rows) > 0 { // of revisions that were verified: nothing accounts for them
		x.left()
	}
	return true, nil
}

// checkBytes compares the stored bytes with the hash, the columns and the
// operations beside them.
func (r *Revision) checkBytes(predecessor []byte) string {
	if !bytes.Equal(chain(predecessor, r.canonical), r.hash) {
		return "the hash does not fit its bytes and its predecessor"
	}
	if r.format == 1 && len(r.mended) == 0 {
		return r.checkBytes1()
	}
	doc := document{Version: r.format, Revision: r.Revision, At: r.At, Recorded: r.Recorded, Claimed: r.Claimed, Epoch: r.epoch,
		IDs: r.ids, Operations: len(r.raw), Author: r.Author.String(), Via: r.Via, Reason: hex.EncodeToString(r.reason), Reference: r.Reference}
	ops := newDigester()
	for _, raw := range r.raw {
		op, err := canonicalJSON(raw)
		switch {
		case err == nil:
		case len(r.mended) > 0:
			op = raw // as it was found
		default:
			return "an operation is no JSON"
		}
		ops.add(op)
	}
	doc.Digest = ops.sum()
	if len(r.mended) > 0 { // the bytes that were found are held to instead
		if text := r.checkMended(doc.Digest); text != "" {
			return text
		}
		if doc.Digest = digestOfBytes(r.canonical); r.format == 1 { // its bytes are of another form
			return ""
		}
	}
	again, err := doc.canonical()
	if err != nil || !bytes.Equal(again, r.canonical) {
		return "the columns and operations do not fit its bytes"
	}
	return ""
}

// checkOperations compares the operations of a revision that was replayed with those that
// are kept.
func (r *Revision) checkOperations() string {
	for i, op := range r.Operations {
		if _, ok := r.mended[i]; ok {
			continue
		}
		again, err := stored(op)
		now, err3 := r.present(r.raw[i])
		want, err2 := canonicalJSON(now)
		if err3 != nil || err != nil || err2 != nil || !bytes.Equal(again, want) {
			return fmt.Sprintf("operation %d replays differently", i)
		}
	}
	return ""
}

// checkRows compares what a replayed revision does with the rows, and takes
// what fits from them. opened is which revision opened each row that is open.
func (r *Revision) checkRows(d *change.Draft, rows map[lifetime]*row, opened map[rowKey]int64) string {
	for _, c := range d.Changes() {
		if c.Before != nil {
			of := rowKey{c.Before.Kind(), c.Before.Row()}
			k := lifetime{r.Revision, of.kind, of.id, false, opened[of]}
			if _, ok := rows[k]; !ok {
				return fmt.Sprintf("the row of %s %d is not closed by it", k.kind, k.id)
			}
			delete(rows, k)
			delete(opened, of)
		}
		if c.After != nil {
			of := rowKey{c.After.Kind(), c.After.Row()}
			opened[of] = r.Revision
			k := lifetime{r.Revision, of.kind, of.id, true, r.Revision}
			got, ok := rows[k]
			if !ok {
				return fmt.Sprintf("the row of %s %d is not opened by it", k.kind, k.id)
			}
			if !got.holds(c.After) {
				return fmt.Sprintf("the row of %s %d holds other values", k.kind, k.id)
			}
			delete(rows, k)
		}
	}
	return ""
}

// holds says whether a row holds a fact, and nothing else.
func (r *row) holds(f fact.Fact) bool {
	t := tableOf(f.Kind())
	if !reflect.DeepEqual(t.values(r.fact), t.values(f)) {
		return false
	}
	if r.body == nil {
		return true
	}
	kept, err := canonicalJSON(r.body)
	values := t.values(f)
	want, err2 := canonicalJSON([]byte(values[len(values)-1].(string)))
	return err == nil && err2 == nil && bytes.Equal(kept, want)
}

// Rebuild drops every fact row and makes them again from the operations alone.
func (l *Ledger) Rebuild(ctx context.Context) error {
	err := pgx.BeginTxFunc(ctx, l.pool, pgx.TxOptions{BeginQuery: "begin; " + idle}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, sqlLockHead); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update ledger_head set rows_through = revision, rows_of = null"); err != nil {
			return err
		}
		for i := range tables {
			if _, err := tx.Exec(ctx, "truncate "+tables[i].name); err != nil {
				return err
			}
		}
		s := access.Empty()
		for {
			revs, err := readRevisions(ctx, tx, s.Revision, 500, 0)
			if err != nil || len(revs) == 0 {
				return err
			}
			var w rows
			for i := range revs {
				d, err := replay(s, &revs[i])
				if err != nil {
					return &unfit{revs[i].Revision, err}
				}
				w.facts(d.Revision, d.Changes())
				s = d.Seal(d.Revision, revs[i].At)
			}
			var b pgx.Batch
			if err := w.write(ctx, tx.Conn(), &b); err != nil {
				return err
			}
			if err := tx.SendBatch(ctx, &b).Close(); err != nil {
				return err
			}
		}
	})
	if err != nil {
		return Unavailable(err)
	}
	l.cache = historyCache{}
	l.unfiled.put(nil, nil, nil)
	return l.load(ctx)
}
