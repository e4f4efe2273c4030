package e2e

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

// unseen are the columns that verifying the ledger by itself cannot hold to anything: they
// are held to heads that were kept elsewhere.
var unseen = []string{"ledger_head.epoch", "ledger_head.ledger"}

// otherValue is another value of a column, by its type.
var otherValue = map[string]string{
	"integer": "coalesce(%[1]s, 0) + 1000000", "bigint": "coalesce(%[1]s, 0) + 1000000", "smallint": "coalesce(%[1]s, 0) + 1",
	"text": "coalesce(%[1]s, '') || 'x'", "boolean": "not coalesce(%[1]s, false)", "timestamp with time zone": "coalesce(%[1]s, now()) + interval '1 microsecond'",
	"date": "coalesce(%[1]s, '2026-01-01') + 1", "bytea": "sha256(coalesce(%[1]s, ''))", "uuid": "coalesce(gen_random_uuid(), %[1]s)", "jsonb": `coalesce(%[1]s, '{}') || '{"tampered": 1}'`,
	"ARRAY": "array_append(%[1]s, %[1]s[1])",
}

// tamperColumn is one of a table's.
type tamperColumn struct {
	table, name, kind string
	nullable          bool
}

func tamperColumns(t *testing.T, pool *pgxpool.Pool) []tamperColumn {
	t.Helper()
	rows, err := pool.Query(ctx, `select table_name, column_name, data_type, is_nullable = 'YES' from information_schema.columns
		where table_schema = current_schema() and is_generated = 'NEVER' and (table_name like '%\_fact' or table_name in ('revision', 'operation', 'reason', 'personal', 'ledger_head', 'mending')) order by 1, ordinal_position`)
	if err != nil {
		t.Fatal(err)
	}
	all, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (c tamperColumn, err error) {
		return c, r.Scan(&c.table, &c.name, &c.kind, &c.nullable)
	})
	if err != nil {
		t.Fatal(err)
	}
	return all
}

// spoilAndMend makes an operation one that cannot be read, and has it mended on the host.
func spoilAndMend(t *testing.T, pool *pgxpool.Pool, database string, revision int) {
	t.Helper()
	var body string
	if err := pool.QueryRow(ctx, "select body from operation where revision = $1 and position = 0", revision).Scan(&body); err != nil {
		t.Fatal(err)
	}
	if _, err := pool.Exec(ctx, "update operation set body = '{' where revision = $1 and position = 0", revision); err != nil {
		t.Fatal(err)
	}
	said := testkit.Run(t, body, "rosterd", "mend", "-database-url", database, "-revision", fmt.Sprint(revision), "-position", "0", "-replacement", "-", "-reason", "A fault of the disk")
	if !strings.Contains(said, "is mended: revision") {
		t.Fatal(said)
	}
}

// Whatever somebody who owns the database alters, in whatever column of whatever table an
// answer rests on, or takes away, or adds, verifying tells it: by the revision it speaks of
// and what does not fit.
func TestNoColumnCanBeAltered(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	found, err := marta.Findings(ctx, nil)
	if err != nil || len(found.Findings) == 0 {
		t.Fatal(found, err)
	}
	if _, err := marta.Change(ctx, changeOf("is known", fmt.Sprintf(`{"op":"set_aside_finding","findings":[%q],"until":%q}`, found.Findings[0].Key, time.Now().AddDate(0, 1, 0).Format(time.DateOnly))), false); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("it named somebody", `{"op":"erase_reason","revision":9}`), false); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("Came twice",
		`{"op":"add_user","user_name":"twice.come","display_name":"Twice Come","unit":"office"}`, `{"op":"merge_users","user":"twice.come","into":"`+demo.Auditor+`"}`), false); err != nil {
		t.Fatal(err)
	}
	s.Stop(t)
	l, pool := testkit.Ledger(t, database)
	spoilAndMend(t, pool, database, 20)
	all := tamperColumns(t, pool)
	of := map[string][]string{}
	for _, c := range all {
		of[c.table] = append(of[c.table], c.name)
	}
	tried, refused := 0, 0
	// tamper tries one thing in a table, and undoes it.
	tamper := func(what, table string, sql ...string) {
		t.Helper()
		if _, err := pool.Exec(ctx, "drop table if exists kept; create table kept as table "+table); err != nil {
			t.Fatal(err)
		}
		_, err := pool.Exec(ctx, strings.Join(sql, "; "))
		var pg *pgconn.PgError
		if errors.As(err, &pg) && strings.HasPrefix(pg.Code, "23") { // a constraint keeps it from being so
			refused++
			return
		}
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		tried++
		v, err := l.Verify(ctx, nil)
		if err != nil {
			t.Errorf("%s: %v", what, err)
		} else if told := v.First != 0 && v.Fault != ""; told == slices.Contains(unseen, what) {
			t.Errorf("%s: told %v (%d: %s)", what, told, v.First, v.Fault)
		}
		if _, err := pool.Exec(ctx, fmt.Sprintf("begin; truncate %[1]s; insert into %[1]s (%[2]s) overriding system value select %[2]s from kept; commit", table, strings.Join(of[table], ", "))); err != nil {
			t.Fatalf("%s cannot be undone: %v", what, err)
		}
	}
	first := func(table string) string {
		order := map[string]string{"revision": "revision", "operation": "revision", "reason": "digest", "personal": "digest", "ledger_head": "revision", "mending": "revision"}[table]
		if order == "" {
			order = "opened"
		}
		where := ""
		if table == "personal" || table == "reason" {
			where = " where text is not null"
		}
		return fmt.Sprintf("ctid = (select ctid from %s%s order by %s limit 1 offset case when (select count(*) from %[1]s) > 3 then 2 else 0 end)", table, where, order)
	}
	last := ""
	for _, c := range all {
		if n := rowsIn(t, pool, c.table); n == 0 {
			t.Errorf("the demo has no row of %s", c.table)
			continue
		}
		value, ok := otherValue[c.kind]
		if !ok {
			t.Fatalf("%s.%s is of type %s: say here what else it could be", c.table, c.name, c.kind)
		}
		what := c.table + "." + c.name
		set := fmt.Sprintf("update %s set %s = %s where %s", c.table, c.name, fmt.Sprintf(value, c.name), first(c.table))
		if c.kind == "ARRAY" {
			set = fmt.Sprintf("update %s set %s = %s where ctid = (select ctid from %[1]s where cardinality(%[2]s) > 0 limit 1)", c.table, c.name, fmt.Sprintf(value, c.name))
		}
		tamper(what, c.table, set)
		if c.nullable {
			if n := rowsIn(t, pool, c.table+" where "+c.name+" is not null"); n > 0 && !(c.table == "personal") {
				tamper(what+" blank", c.table, fmt.Sprintf("update %s set %s = null where ctid = (select ctid from %[1]s where %[2]s is not null limit 1)", c.table, c.name))
			}
		}
		if c.table != last && c.table != "ledger_head" {
			last = c.table
			tamper("a row taken from "+c.table, c.table, fmt.Sprintf("delete from %s where %s", c.table, first(c.table)))
		}
	}
	if tried < 80 {
		t.Errorf("only %d things were tried", tried)
	}
	t.Logf("%d things altered, %d that a constraint refused", tried, refused)
}

func rowsIn(t *testing.T, pool *pgxpool.Pool, from string) (n int) {
	t.Helper()
	if err := pool.QueryRow(ctx, "select count(*) from "+from).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}
