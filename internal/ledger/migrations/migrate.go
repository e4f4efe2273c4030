// Package migrations are the tables of the database, one version after the other (goose).
package migrations

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"fmt"

	"ableroster/internal/format1"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

// Newest is that of this program.
const Newest = 62

//go:embed *.sql
var files embed.FS

// Migrate brings the tables to this program's version. Two programs may call it at once:
// one waits for the other.
func Migrate(ctx context.Context, pool *pgxpool.Pool) error {
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return err
	}
	translated := goose.NewGoMigration(31, &goose.GoFunc{RunTx: translatePending}, nil)
	p, err := goose.NewProvider(goose.DialectPostgres, db, files, goose.WithSessionLocker(locker), goose.WithGoMigrations(translated))
	if err != nil {
		return err
	}
	version, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	if version > Newest {
		return fmt.Errorf("the tables of this database are of version %d, and this program knows them up to %d: start one that is as new", version, Newest)
	}
	_, err = p.Up(ctx)
	return err
}

// translatePending brings the operations of changes that wait to the second format: they
// stand in no ledger yet. See migration 30.
func translatePending(ctx context.Context, tx *sql.Tx) error {
	rows, err := tx.QueryContext(ctx, "select id, lines from pending_change where lines is not null")
	if err != nil {
		return err
	}
	after := map[int64][]byte{}
	for rows.Next() {
		var id int64
		var lines []byte
		if err := rows.Scan(&id, &lines); err != nil {
			return err
		}
		if after[id], err = translateLines(lines); err != nil {
			return fmt.Errorf("pending change %d: %w", id, err)
		}
	}
	if err := rows.Err(); err != nil {
		return err
	}
	for id, lines := range after {
		if _, err := tx.ExecContext(ctx, "update pending_change set lines = $2 where id = $1", id, string(lines)); err != nil {
			return err
		}
	}
	return nil
}

// translateLines translates the operations of what a pending change does.
func translateLines(raw []byte) ([]byte, error) {
	var lines []map[string]json.RawMessage
	if err := json.Unmarshal(raw, &lines); err != nil {
		return nil, err
	}
	for _, line := range lines {
		var ops []json.RawMessage
		if err := json.Unmarshal(line["operations"], &ops); err != nil {
			return nil, err
		}
		for i, op := range ops {
			now, err := format1.Operation(op)
			if err != nil {
				return nil, err
			}
			ops[i] = now
		}
		line["operations"], _ = json.Marshal(ops) // which were read from it
	}
	return json.Marshal(lines)
}
