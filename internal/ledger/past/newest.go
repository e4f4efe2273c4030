package past

import (
	"context"

	"ableroster/internal/ledger/database"
)

const sqlNewest = "select revision from ledger_head"

// Newest is the newest revision in the database, which this program may not know yet.
func (l *Past) Newest(ctx context.Context) (revision int64, err error) {
	err = l.pool.QueryRow(ctx, sqlNewest).Scan(&revision)
	return revision, database.Unavailable(err)
}
