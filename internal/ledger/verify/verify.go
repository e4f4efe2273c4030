package verify

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
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
)

// sqlVerifyHead is the head, and whether a large change explains that rows are missing.
const sqlVerifyHead = `select revision, hash, at, rows_through, coalesce(rows_of, 0),
	exists (select from revision r where r.revision > rows_through and r.staged is not null),
	exists (select from revision r where r.staged is not null) from ledger_head`

// Verification is what verifying the ledger found.
type Verification struct {
	Revisions int64   // how many were verified
	Hash      string  // of the last one that fits
	Rows      int64   // up to which revision the rows of facts were compared: those of a large change follow it
	Mended    []int64 // revisions of which operations were mended: see Mend
	First     int64   // the first revision that does not fit, or 0
	Fault     string  // what is wrong with it
}

// verifying is the verification of one ledger, as far as it has come.
type verifying struct {
	tx     pgx.Tx
	v      *Verification
	reach  int64 // how far the rows do
	s      *access.Snapshot
	hash   []byte
	ends   factrows.Lifetimes
	rows   map[factrows.Lifetime]*factrows.Row // those of the revisions of a portion
	opened map[factrows.RowKey]int64           // which revision opened each row that is open
	gone   revisions.Gone

	reasons map[string]int64 // digests of reasons that are gone, by the revision that names them
}

// All reads the stored bytes of every revision, recomputes the chain, and replays the
// operations against the rows, all in one transaction that sees one state of the database.
func All(ctx context.Context, tx pgx.Tx, told func(done, of int64)) (Verification, error) {
	var v Verification
	x := verifying{tx: tx, v: &v, s: access.Empty(), hash: []byte{}, opened: map[factrows.RowKey]int64{}, gone: revisions.Gone{}, reasons: map[string]int64{}, rows: map[factrows.Lifetime]*factrows.Row{}}
	err := x.all(ctx, told)
	return v, err
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
		if beyond, err := factrows.RowsBeyond(ctx, x.tx, x.reach, rowsOf); err != nil {
			return err
		} else if beyond {
			x.bad(x.reach+1, "has rows, and they are said to reach revision %d alone", x.reach)
			return nil
		}
	}
	odd, err := factrows.Odd(ctx, x.tx)
	if err != nil {
		return err
	}
	if odd.Fault != "" {
		x.bad(odd.Revision, "%s", odd.Fault)
		return nil
	}
	x.v.Rows, x.ends.Reach = x.reach, x.reach
	if x.reach == headRevision {
		x.ends.Reach = math.MaxInt64 // there are none
	}
	err = x.throughout(ctx, headRevision, told)
	var row *factrows.SpoiledRow
	if errors.As(err, &row) {
		x.bad(row.Opened, "the row of %s %d cannot be read: %s", row.Kind, row.ID, row.Cause)
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
		if n := x.gone.First(x.s); n != 0 {
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
	if err := x.ends.Open(ctx, x.tx); err != nil {
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
	return x.ends.UpTo(ctx, x.tx, math.MaxInt64, x.rows)
}

// left says that there are ends of rows which no operation accounts for.
func (x *verifying) left() {
	var first factrows.Lifetime
	for k := range x.rows {
		if first.Revision == 0 || k.Revision < first.Revision {
			first = k
		}
	}
	x.bad(first.Revision, "the rows open or close %s %d, which no operation does", first.Kind, first.ID)
}

// portion verifies the next revisions; more is false when there are none.
func (x *verifying) portion(ctx context.Context) (more bool, err error) {
	n, err := revisions.PortionAfter(ctx, x.tx, x.s.Revision)
	if err != nil {
		return false, err
	}
	revs, err := revisions.Read(ctx, x.tx, x.s.Revision, n, 0)
	var spoiled *revisions.Unreadable
	var odd *revisions.Unfit
	switch {
	case errors.As(err, &spoiled):
		x.bad(spoiled.Revision, "operation %d cannot be read: %s", spoiled.Position, spoiled.Cause)
		return false, nil
	case errors.As(err, &odd):
		x.bad(odd.Revision, "%s", odd.Cause)
		return false, nil
	}
	if err != nil || len(revs) == 0 {
		return false, err
	}
	places := make([]int64, len(revs))
	for i := range revs {
		places[i] = revs[i].Place()
	}
	derived, err := revisions.Derived(ctx, x.tx, places)
	if err != nil {
		return false, err
	}
	apart, err := revisions.Apart(ctx, x.tx, revs)
	if err != nil {
		return false, err
	}
	if err := x.ends.UpTo(ctx, x.tx, revs[len(revs)-1].Revision, x.rows); err != nil {
		return false, err
	}
	for i := range revs {
		r := &revs[i]
		if r.Revision != x.s.Revision+1 {
			x.bad(x.s.Revision+1, "is missing")
			return false, nil
		}
		for _, fault := range []func() string{
			func() string { return r.CheckBytes(x.hash) },
			func() string { return r.CheckApart(apart) },
			func() string { return r.CheckDerived(derived[r.Place()]) },
		} {
			if text := fault(); text != "" {
				x.bad(r.Revision, "%s", text)
				return false, nil
			}
		}
		x.gone.Add(r, apart)
		if digest := hex.EncodeToString(r.ReasonDigest); apart.BlankReasons[digest] {
			x.reasons[digest] = r.Revision
		}
		d, err := revisions.Replay(x.s, r)
		if err != nil {
			x.bad(r.Revision, "%s", err)
			return false, nil
		}
		if fault := revisions.CheckWhose(d, apart); fault != "" {
			x.bad(r.Revision, "%s", fault)
			return false, nil
		}
		if fault := r.CheckOperations(); fault != "" {
			x.bad(r.Revision, "%s", fault)
			return false, nil
		}
		if fault := checkRows(r, d, x.rows, x.opened); fault != "" && r.Revision <= x.reach {
			x.bad(r.Revision, "%s", fault)
			return false, nil
		}
		x.s, x.hash = d.Seal(r.Revision, r.At), r.HashBytes
		x.v.Revisions, x.v.Hash = r.Revision, r.Hash
		if len(r.Mended) > 0 {
			x.v.Mended = append(x.v.Mended, r.Revision)
		}
	}
	if len(x.rows) > 0 { // of revisions that were verified: nothing accounts for them
		x.left()
	}
	return true, nil
}

// checkRows compares what a replayed revision does with the rows, and takes
// what fits from them. opened is which revision opened each row that is open.
func checkRows(r *revisions.Revision, d *change.Draft, rows map[factrows.Lifetime]*factrows.Row, opened map[factrows.RowKey]int64) string {
	for _, c := range d.Changes() {
		if c.Before != nil {
			of := factrows.KeyOf(c.Before)
			k := factrows.Lifetime{Revision: r.Revision, Kind: of.Kind, ID: of.ID, Opened: opened[of]}
			if _, ok := rows[k]; !ok {
				return fmt.Sprintf("the row of %s %d is not closed by it", k.Kind, k.ID)
			}
			delete(rows, k)
			delete(opened, of)
		}
		if c.After != nil {
			of := factrows.KeyOf(c.After)
			opened[of] = r.Revision
			k := factrows.Lifetime{Revision: r.Revision, Kind: of.Kind, ID: of.ID, Opens: true, Opened: r.Revision}
			got, ok := rows[k]
			if !ok {
				return fmt.Sprintf("the row of %s %d is not opened by it", k.Kind, k.ID)
			}
			if !holds(got, c.After) {
				return fmt.Sprintf("the row of %s %d holds other values", k.Kind, k.ID)
			}
			delete(rows, k)
		}
	}
	return ""
}

// holds says whether a row holds a fact, and nothing else.
func holds(r *factrows.Row, f fact.Fact) bool {
	t := factrows.TableOf(f.Kind())
	if !reflect.DeepEqual(t.Values(r.Fact), t.Values(f)) {
		return false
	}
	if r.Body == nil {
		return true
	}
	kept, err := revisions.CanonicalJSON(r.Body)
	values := t.Values(f)
	want, err2 := revisions.CanonicalJSON([]byte(values[len(values)-1].(string)))
	return err == nil && err2 == nil && bytes.Equal(kept, want)
}
