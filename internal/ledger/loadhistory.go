package ledger

import (
	"context"
	"errors"
	"fmt"

	"ableroster/internal/ledger/database"

	"github.com/jackc/pgx/v5"
)

// LoadHistory puts dated changes into an empty ledger, oldest first, all or
// none. Only here may a revision claim a time; each says so. The authors are
// named by user name, since their ids come about on the way.
func (l *Ledger) LoadHistory(ctx context.Context, history []*Change) error {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return database.Unavailable(err)
	}
	defer conn.Release()
	w := writer{head: l.Head(), epoch: l.epoch}
	if err := l.lock(ctx, conn, &w, true); err != nil {
		return errors.Join(database.Unavailable(err), database.Rollback(ctx, conn))
	}
	if w.revision != 0 || w.head.Revision != 0 {
		return errors.Join(ErrNotEmpty, database.Rollback(ctx, conn))
	}
	for i, c := range history {
		if id, ok := w.head.FindUser(c.AuthorName); ok {
			c.Author = id
		}
		p := &pending{ctx: ctx, change: c, judge: noFaults}
		if _, err := w.add(p); err != nil {
			return errors.Join(fmt.Errorf("change %d (%s): %w", i+1, c.Reason, err), database.Rollback(ctx, conn))
		}
	}
	if err := l.finish(ctx, conn, &w, new(pgx.Batch)); err != nil {
		return errors.Join(database.Unavailable(err), database.Rollback(ctx, conn))
	}
	return nil
}
