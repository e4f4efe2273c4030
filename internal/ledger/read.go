package ledger

import (
	"context"
	"errors"
	"fmt"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// each calls yield for every row a statement on a fact table reads.
func each(ctx context.Context, q querier, t *table, yield func(row), sql string, args ...any) error {
	return t.eachRow(ctx, q, false, yield, sql, args...)
}

// passing is each for a yield that keeps nothing of a row: of kinds that lie
// flat in a snapshot, one fact is read into again and again.
func passing(ctx context.Context, q querier, t *table, yield func(row), sql string, args ...any) error {
	return t.eachRow(ctx, q, t.flat(), yield, sql, args...)
}

func (t *table) eachRow(ctx context.Context, q querier, again bool, yield func(row), sql string, args ...any) error {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	known := texts{}
	var r *row
	var into []any
	var then func()
	for rows.Next() {
		if r == nil || !again {
			r = new(row)
			rest, last := t.read(r, known)
			into, then = append([]any{&r.id, &r.opened, &r.closed}, rest...), last
		}
		if err := rows.Scan(into...); err != nil {
			if errors.As(err, new(pgx.ScanArgError)) { // it came, and cannot be read
				return &spoiledRow{t.kind, r.id, r.opened, err}
			}
			return fmt.Errorf("%s: %w", t.name, err)
		}
		if then(); r.bad != nil {
			return &spoiledRow{t.kind, r.id, r.opened, r.bad}
		}
		yield(*r)
	}
	return rows.Err()
}

// spoiledRow is a row that does not hold what its kind can be.
type spoiledRow struct {
	kind   fact.FactKind
	id     uint32
	opened int64
	cause  error
}

func (s *spoiledRow) Error() string {
	return fmt.Sprintf("the row of %s %d that revision %d opened cannot be read: %v", s.kind, s.id, s.opened, s.cause)
}

func (s *spoiledRow) Unwrap() error { return s.cause }

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

// sum is where a digest goes.
type sum [32]byte

// ScanBytes implements pgtype.BytesScanner.
func (x *sum) ScanBytes(v []byte) error {
	if len(v) != len(x) {
		return fmt.Errorf("a digest of %d bytes", len(v))
	}
	copy(x[:], v)
	return nil
}
