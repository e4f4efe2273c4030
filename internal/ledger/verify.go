package ledger

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"reflect"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Verification is what verifying the ledger found.
type Verification struct {
	Revisions int64  // how many were verified
	Hash      string // of the last one that fits
	First     int64  // the first revision that does not fit, or 0
	Fault     string // what is wrong with it
}

// Verify reads the stored bytes of every revision, recomputes the chain, and
// replays the operations against the rows. It stops at the first revision that
// does not fit.
func (l *Ledger) Verify(ctx context.Context) (Verification, error) {
	var v Verification
	err := l.reading(ctx, func(tx pgx.Tx) error {
		bad := func(n int64, format string, args ...any) {
			v.First, v.Fault = n, fmt.Sprintf(format, args...)
		}
		rows, odd, err := readLifetimes(ctx, tx)
		if err != nil {
			return err
		}
		if odd.fault != "" {
			bad(odd.revision, "%s", odd.fault)
			return nil
		}
		apart, err := readApart(ctx, tx)
		if err != nil {
			return err
		}
		var headRevision int64
		var headHash []byte
		var headAt time.Time
		if err := tx.QueryRow(ctx, "select revision, hash, at from ledger_head").Scan(&headRevision, &headHash, &headAt); err != nil {
			return err
		}
		s := access.Empty()
		hash := []byte{}
		opened := map[rowKey]int64{}
		named := map[string]int64{} // the first revision that names each digest
		for v.First == 0 {
			revs, err := readRevisions(ctx, tx, s.Revision, 500)
			var spoiled *unreadable
			if errors.As(err, &spoiled) {
				bad(spoiled.revision, "operation %d cannot be read: %s", spoiled.position, spoiled.cause)
				break
			}
			if err != nil {
				return err
			}
			if len(revs) == 0 {
				break
			}
			numbers := make([]int64, len(revs))
			for i := range revs {
				numbers[i] = revs[i].Revision
			}
			derived, err := readDerived(ctx, tx, numbers)
			if err != nil {
				return err
			}
			for i := range revs {
				r := &revs[i]
				if r.Revision != s.Revision+1 {
					bad(s.Revision+1, "is missing")
					break
				}
				if fault := r.checkBytes(hash); fault != "" {
					bad(r.Revision, "%s", fault)
					break
				}
				if fault := r.checkApart(apart); fault != "" {
					bad(r.Revision, "%s", fault)
					break
				}
				if fault := r.checkDerived(derived[r.Revision]); fault != "" {
					bad(r.Revision, "%s", fault)
					break
				}
				for _, digest := range r.digests() {
					if _, there := named[digest]; !there {
						named[digest] = r.Revision
					}
				}
				d, err := replay(s, r)
				if err != nil {
					bad(r.Revision, "%s", err)
					break
				}
				if fault := r.checkRows(d, rows, opened); fault != "" {
					bad(r.Revision, "%s", fault)
					break
				}
				s, hash = d.Seal(r.Revision, r.At), r.hash
				v.Revisions, v.Hash = r.Revision, r.Hash
			}
		}
		switch {
		case v.First != 0:
		case headRevision != s.Revision || !bytes.Equal(headHash, hash):
			bad(s.Revision+1, "the head speaks of revision %d, which is not there", headRevision)
		case s.Revision > 0 && calendar.At(headAt) != s.At:
			bad(s.Revision, "the head says another time than its revision")
		case len(rows) > 0:
			for k := range rows {
				bad(k.revision, "the rows open or close %s %d, which no operation does", k.kind, k.id)
				break
			}
		default:
			if n := apart.goneOf(s, named); n != 0 {
				bad(n, "the personal values kept apart are gone, and their user was not erased")
			}
		}
		return nil
	})
	return v, err
}

// checkBytes compares the stored bytes with the hash, the columns and the
// operations beside them.
func (r *Revision) checkBytes(predecessor []byte) string {
	if !bytes.Equal(chain(predecessor, r.canonical), r.hash) {
		return "the hash does not fit its bytes and its predecessor"
	}
	if r.format == 1 {
		return r.checkBytes1()
	}
	doc := document{Version: r.format, Revision: r.Revision, At: r.At, Recorded: r.Recorded, Claimed: r.Claimed, Epoch: r.epoch,
		IDs: r.ids, Operations: len(r.raw), Author: r.Author.String(), Via: r.Via, Reason: hex.EncodeToString(r.reason)}
	ops := newDigester()
	for _, raw := range r.raw {
		op, err := canonicalJSON(raw) // PostgreSQL keeps its own form
		if err != nil {
			return "an operation is no JSON"
		}
		ops.add(op)
	}
	doc.Digest = ops.sum()
	again, err := doc.canonical()
	if err != nil || !bytes.Equal(again, r.canonical) {
		return "the columns and operations do not fit its bytes"
	}
	return ""
}

// lifetime is one end of a row's life: of the row that a revision opened.
type lifetime struct {
	revision int64
	kind     fact.FactKind
	id       uint32
	opens    bool
	opened   int64
}

// oddRow is a row that no writing leaves behind; without a fault there is none.
type oddRow struct {
	revision int64
	fault    string
}

// readLifetimes reads every end of every row's life, with the values of those
// that open.
func readLifetimes(ctx context.Context, q querier) (map[lifetime]fact.Fact, oddRow, error) {
	out := map[lifetime]fact.Fact{}
	var odd oddRow
	names, err := personals(ctx, q, sqlPersonal)
	if err != nil {
		return nil, odd, err
	}
	for i := range tables {
		t := &tables[i]
		put := func(r row) {
			if u, ok := r.fact.(*fact.User); ok {
				u.Personal = names[u.Digest]
			}
			out[lifetime{r.opened, t.kind, r.id, true, r.opened}] = r.fact
			if r.closed != 0 {
				out[lifetime{r.closed, t.kind, r.id, false, r.opened}] = nil
			}
		}
		if err := each(ctx, q, t, put, t.selectAll()); err != nil {
			return nil, odd, err
		}
		early, err := q.Query(ctx, "select id, opened from "+t.name+" where closed <= opened order by opened limit 1")
		if err != nil {
			return nil, odd, err
		}
		var id uint32
		var opened int64
		_, err = pgx.ForEachRow(early, []any{&id, &opened}, func() error {
			odd = oddRow{opened, fmt.Sprintf("the row of %s %d is closed before it opens", t.kind, id)}
			return nil
		})
		if err != nil {
			return nil, odd, err
		}
	}
	return out, odd, nil
}

// checkRows compares what a replayed revision does with the rows, and takes
// what fits from them. opened is which revision opened each row that is open.
func (r *Revision) checkRows(d *change.Draft, rows map[lifetime]fact.Fact, opened map[rowKey]int64) string {
	for i, op := range r.Operations {
		again, err := stored(op)
		now, err3 := r.present(r.raw[i])
		want, err2 := canonicalJSON(now)
		if err3 != nil || err != nil || err2 != nil || !bytes.Equal(again, want) {
			return fmt.Sprintf("operation %d replays differently", i)
		}
	}
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
			if !reflect.DeepEqual(tableOf(k.kind).values(got), tableOf(k.kind).values(c.After)) {
				return fmt.Sprintf("the row of %s %d holds other values", k.kind, k.id)
			}
			delete(rows, k)
		}
	}
	return ""
}

// Rebuild drops every fact row and makes them again from the operations alone.
func (l *Ledger) Rebuild(ctx context.Context) error {
	err := pgx.BeginTxFunc(ctx, l.pool, pgx.TxOptions{BeginQuery: "begin; " + idle}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, sqlLockHead); err != nil {
			return err
		}
		for i := range tables {
			if _, err := tx.Exec(ctx, "truncate "+tables[i].name); err != nil {
				return err
			}
		}
		s := access.Empty()
		for {
			revs, err := readRevisions(ctx, tx, s.Revision, 500)
			if err != nil || len(revs) == 0 {
				return err
			}
			var w rows
			for i := range revs {
				d, err := replay(s, &revs[i])
				if err != nil {
					return fmt.Errorf("revision %d: %w", revs[i].Revision, err)
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
	return l.load(ctx)
}
