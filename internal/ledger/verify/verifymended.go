package verify

import (
	"context"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
)

const sqlAllMendings = `select revision, position, digest, replacement, coalesce(made, 0) from mending order by revision, position`

// checkMendings compares what is read in the place of operations with the revisions that say
// so.
func (x *verifying) checkMendings(ctx context.Context) error {
	named := map[[2]int64]*fact.Mending{}
	for _, f := range access.RecordFactsOf[*fact.Mending](x.s, fact.FactMending) {
		named[[2]int64{f.Of, int64(f.Position)}] = f
	}
	rows, err := x.tx.Query(ctx, sqlAllMendings)
	if err != nil {
		return err
	}
	var n, made int64
	var position int
	var m revisions.Mending
	_, err = pgx.ForEachRow(rows, []any{&n, &position, &m.Digest, &m.Replacement, &made}, func() error {
		f := named[[2]int64{n, int64(position)}]
		delete(named, [2]int64{n, int64(position)})
		if x.v.First == 0 && (f == nil || f.Digest != m.Digest || f.Replacement != m.Replacement || f.Opened != made) {
			x.bad(n, "operation %d is read otherwise than it was mended", position)
		}
		return nil
	})
	for _, f := range named {
		if x.v.First == 0 {
			x.bad(f.Of, "operation %d was mended, and that is gone", f.Position)
		}
	}
	return err
}

// goneReasons is the first revision whose reason is gone and was not erased, or 0.
func goneReasons(s *access.Snapshot, gone map[string]int64) (first int64) {
	erased := map[string]bool{}
	for _, f := range access.RecordFactsOf[*fact.ErasedReason](s, fact.FactErasedReason) {
		erased[f.Digest] = true
	}
	for digest, n := range gone {
		if !erased[digest] && (first == 0 || n < first) {
			first = n
		}
	}
	return first
}
