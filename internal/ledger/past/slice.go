package past

import (
	"cmp"
	"context"
	"errors"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"

	"github.com/jackc/pgx/v5"
)

// Slice is the snapshot at an instant reduced to what concerns one user: their
// groups, the roles these give, and the applications those speak of. It
// answers about that user as the whole snapshot does.
func (l *Past) Slice(ctx context.Context, at calendar.Instant, user fact.UserID) (*access.Snapshot, error) {
	n, t, err := l.RevisionAt(ctx, at)
	if err != nil {
		return nil, err
	}
	if h := l.head(); h.Revision == n {
		return h, nil
	}
	if s := l.atHand(n); s != nil {
		return s, nil
	}
	d := access.Loader(n)
	err = database.Read(ctx, l.pool, func(tx pgx.Tx) error {
		if reached, err := rowsThrough(ctx, tx); err != nil || reached < n {
			return cmp.Or(err, ErrRowsLater)
		}
		return factrows.LoadSlice(ctx, tx, d, n, user)
	})
	if errors.Is(err, ErrRowsLater) {
		return l.At(ctx, at)
	}
	if err != nil {
		return nil, err
	}
	return d.Seal(n, t), nil
}
