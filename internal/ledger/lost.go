package ledger

import (
	"bytes"
	"context"
	"errors"
	"fmt"

	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"

	"github.com/jackc/pgx/v5"
)

// Lost says why this program must answer nothing any more, blank while it may: the
// database was put back to an earlier state, or is another one, or newer than the program.
// It starts again from what is there by closing the ledger and opening it anew.
func (l *Ledger) Lost() string {
	if why := l.lost.Load(); why != nil {
		return *why
	}
	return ""
}

// Ended is closed once Lost says something.
func (l *Ledger) Ended() <-chan struct{} { return l.ended }

// lose stops all answers at once.
func (l *Ledger) lose(why string) error {
	l.losing.Do(func() {
		l.lost.Store(&why)
		l.log.Error("this service stops answering", "why", why, "revision", l.Head().Revision)
		close(l.ended)
	})
	return fmt.Errorf("%w: %s", database.ErrLost, why)
}

// loseRevisions is lose, when what this program knows to have been committed is not in the
// ledger any more. A new epoch begins, once for all programs that find it out; nobody
// stays signed in, since what ended their sessions may be among what was lost.
func (l *Ledger) loseRevisions(ctx context.Context, known *tip) error {
	lost := l.lose(fmt.Sprintf("revision %d, which it had answered from, is not in the ledger any more: the database was put back to an earlier state", known.revision()))
	if err := l.nextEpoch(ctx, 0); err != nil {
		l.log.Error("the new epoch could not be begun", "error", err)
	}
	return lost
}

// nextEpoch begins a new epoch, unless another program has, and ends what anybody is
// signed in by.
func (l *Ledger) nextEpoch(ctx context.Context, atLeast int) error {
	return pgx.BeginFunc(ctx, l.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, sqlNextEpoch, l.epoch, atLeast)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		for _, sql := range []string{"delete from session", "delete from token", "delete from sign_in_link", "delete from sign_up", sqlTellEpoch, sqlTellKeys} {
			if _, err := tx.Exec(ctx, sql); err != nil {
				return err
			}
		}
		return nil
	})
}

// stands says whether the revision of a tip is in the ledger as it is known here.
func (l *Ledger) stands(ctx context.Context, q factrows.Querier, t *tip) error {
	if t.revision() == 0 {
		return nil
	}
	rows, err := q.Query(ctx, sqlHashOf, t.revision())
	if err != nil {
		return err
	}
	hash, err := pgx.CollectOneRow(rows, pgx.RowTo[[]byte])
	switch {
	case errors.Is(err, pgx.ErrNoRows), err == nil && !bytes.Equal(hash, t.hash):
		return l.loseRevisions(ctx, t)
	}
	return err
}

// HashOf is the hash of a revision, nil when there is none.
func (l *Ledger) HashOf(ctx context.Context, revision int64) ([]byte, error) {
	if head := l.head.Load(); head.revision() == revision {
		return head.hash, nil
	}
	var hash []byte
	err := l.pool.QueryRow(ctx, sqlHashOf, revision).Scan(&hash)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	return hash, database.Unavailable(err)
}
