package ledger

import (
	"context"

	"ableroster/internal/access"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
)

// Rebuild drops every fact row and makes them again from the operations alone.
func (l *Ledger) Rebuild(ctx context.Context) error {
	err := pgx.BeginTxFunc(ctx, l.pool, pgx.TxOptions{BeginQuery: "begin; " + database.LongIdle}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, database.SQLLockHead); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update ledger_head set rows_through = revision, rows_of = null"); err != nil {
			return err
		}
		for i := range factrows.All {
			if _, err := tx.Exec(ctx, "truncate "+factrows.All[i].Name); err != nil {
				return err
			}
		}
		s := access.Empty()
		for {
			revs, err := revisions.Read(ctx, tx, s.Revision, 500, 0)
			if err != nil || len(revs) == 0 {
				return err
			}
			var w factrows.Rows
			for i := range revs {
				d, err := revisions.Replay(s, &revs[i])
				if err != nil {
					return &revisions.Unfit{Revision: revs[i].Revision, Cause: err}
				}
				w.Facts(d.Revision, d.Changes())
				s = d.Seal(d.Revision, revs[i].At)
			}
			var b pgx.Batch
			if err := w.Write(ctx, tx.Conn(), &b); err != nil {
				return err
			}
			if err := tx.SendBatch(ctx, &b).Close(); err != nil {
				return err
			}
		}
	})
	if err != nil {
		return database.Unavailable(err)
	}
	l.Forget()
	return l.load(ctx)
}
