package database

import (
	"context"

	"github.com/jackc/pgx/v5/pgxpool"
)

// Rollback clears a connection for its next use; one that cannot be cleared is closed, and the
// pool forgets it. The error is always nil: what matters is what was found before.
func Rollback(ctx context.Context, conn *pgxpool.Conn) error {
	if _, err := conn.Exec(ctx, "rollback"); err != nil {
		conn.Conn().Close(ctx)
	}
	return nil
}
