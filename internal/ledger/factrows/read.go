package factrows

import (
	"context"
	"errors"
	"fmt"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Querier is a connection, a transaction, or a pool.
type Querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// each calls yield for every row a statement on a fact table reads.
func each(ctx context.Context, q Querier, t *Table, yield func(Row), sql string, args ...any) error {
	return t.eachRow(ctx, q, false, yield, sql, args...)
}

// Passing is each for a yield that keeps nothing of a row: of kinds that lie
// flat in a snapshot, one fact is read into again and again.
func Passing(ctx context.Context, q Querier, t *Table, yield func(Row), sql string, args ...any) error {
	return t.eachRow(ctx, q, t.flat(), yield, sql, args...)
}

func (t *Table) eachRow(ctx context.Context, q Querier, again bool, yield func(Row), sql string, args ...any) error {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	known := texts{}
	var r *Row
	var into []any
	var then func()
	for rows.Next() {
		if r == nil || !again {
			r = new(Row)
			rest, last := t.read(r, known)
			into, then = append([]any{&r.id, &r.Opened, &r.Closed}, rest...), last
		}
		if err := rows.Scan(into...); err != nil {
			if errors.As(err, new(pgx.ScanArgError)) { // it came, and cannot be read
				return &SpoiledRow{t.Kind, r.id, r.Opened, err}
			}
			return fmt.Errorf("%s: %w", t.Name, err)
		}
		if then(); r.bad != nil {
			return &SpoiledRow{t.Kind, r.id, r.Opened, r.bad}
		}
		yield(*r)
	}
	return rows.Err()
}

// SpoiledRow is a row that does not hold what its kind can be.
type SpoiledRow struct {
	Kind   fact.FactKind
	ID     uint32
	Opened int64
	Cause  error
}

func (s *SpoiledRow) Error() string {
	return fmt.Sprintf("the row of %s %d that revision %d opened cannot be read: %v", s.Kind, s.ID, s.Opened, s.Cause)
}

func (s *SpoiledRow) Unwrap() error { return s.Cause }

// texts are strings that many rows hold, each kept once.
type texts map[string]string

// of is where a column's text goes that is likely one of them.
func (t texts) of(s *string) *text { return &text{t, s} }

type text struct {
	known texts
	into  *string
}

// ScanBytes implements pgtype.BytesScanner. The bytes are PostgreSQL's text and
// are not to be kept.
func (x *text) ScanBytes(v []byte) error {
	s, ok := x.known[string(v)]
	if !ok {
		s = string(v)
		x.known[s] = s
	}
	*x.into = s
	return nil
}

// Digest is where a digest goes.
type Digest [32]byte

// ScanBytes implements pgtype.BytesScanner.
func (x *Digest) ScanBytes(v []byte) error {
	if len(v) != len(x) {
		return fmt.Errorf("a digest of %d bytes", len(v))
	}
	copy(x[:], v)
	return nil
}
