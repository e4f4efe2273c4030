package testkit

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgxpool"
)

// Rewind puts a database back to a revision, as a restore of an older back-up would.
func Rewind(t testing.TB, pool *pgxpool.Pool, to int64) {
	t.Helper()
	rows, err := pool.Query(context.Background(), "select table_name from information_schema.tables where table_name like '%\\_fact' and table_schema = current_schema()")
	if err != nil {
		t.Fatal(err)
	}
	var sql []string
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			t.Fatal(err)
		}
		sql = append(sql, fmt.Sprintf("delete from %s where opened > %d", name, to), fmt.Sprintf("update %s set closed = null where closed > %d", name, to))
	}
	for _, table := range []string{"operation", "idempotency", "revision"} {
		sql = append(sql, fmt.Sprintf("delete from %s where revision > %d", table, to))
	}
	sql = append(sql, fmt.Sprintf("update ledger_head h set revision = r.revision, hash = r.hash, at = r.at, rows_through = least(rows_through, r.revision), rows_of = null from revision r where r.revision = %d", to))
	if _, err := pool.Exec(context.Background(), "begin; select from ledger_head for update; "+strings.Join(sql, "; ")+"; commit"); err != nil {
		t.Fatal(err)
	}
}
