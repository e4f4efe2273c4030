package past

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
)

// UserSince is the revision that first speaks of a user, 0 for none.
func (l *Past) UserSince(ctx context.Context, id fact.UserID) (revision int64, err error) {
	if err := l.rowsReach(ctx, l.head().Revision); err != nil {
		return 0, err
	}
	err = l.pool.QueryRow(ctx, "select coalesce(min(opened), 0) from user_fact where id = $1", uint32(id)).Scan(&revision)
	return revision, database.Unavailable(err)
}
