package ledger

import "context"

const sqlNewest = "select revision from ledger_head"

// Newest is the newest revision in the database, which this program may not know yet.
func (l *Ledger) Newest(ctx context.Context) (revision int64, err error) {
	err = l.pool.QueryRow(ctx, sqlNewest).Scan(&revision)
	return revision, Unavailable(err)
}
