package main

import (
	"bytes"
	"context"
	"fmt"
	"sync/atomic"
	"time"

	"ableroster/demo"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// importing measures an import of 100,000 users with 300,000 assignments, through
// the service with its dry run and its ledger, against copying the very rows it
// wrote into bare tables of the same columns and indexes, and the longest that
// others waited meanwhile.
func importing(ctx context.Context, database string) ([]line, error) {
	const users = 100_000
	k, a, stopping, err := running(ctx, database, 1_000)
	if err != nil {
		return nil, err
	}
	defer stopping()
	k.ledger.Close() // the service alone follows
	keys, err := roleKeys(a)
	if err != nil {
		return nil, err
	}
	var stop atomic.Bool
	var longest, checked time.Duration
	done := make(chan error, 2)
	other := func(do func(i int) error, worst *time.Duration) {
		for i := 0; !stop.Load(); i++ {
			began := time.Now()
			if err := do(i); err != nil {
				done <- err
				return
			}
			*worst = max(*worst, time.Since(began))
			time.Sleep(10 * time.Millisecond)
		}
		done <- nil
	}
	go other(func(i int) error {
		op := map[string]any{"op": []string{"grant", "revoke"}[i%2], "role": "seasonal-helper", "user": demo.UserName(7)}
		return a.call("POST", "/changes", map[string]any{"reason": "meanwhile", "operations": []any{op}}, nil)
	}, &longest)
	go other(func(i int) error {
		return a.call("POST", "/check", wire.CheckRequest{User: demo.UserName(i % 1000), Application: "tide-board", Action: "read", Path: "tides"}, nil)
	}, &checked)
	var result wire.ChangeResult
	began := time.Now()
	err = a.call("POST", "/imports/users?new_units=true&reason=The+other+port&acknowledge=wide_gain&acknowledge=violation_warned&acknowledge=direct_assignment&acknowledge=expectation_warned", personnelFile(users, keys), &result)
	took := time.Since(began)
	stop.Store(true)
	for range 2 {
		if other := <-done; err == nil {
			err = other
		}
	}
	if err != nil {
		return nil, err
	}
	for whole := false; !whole; time.Sleep(10 * time.Millisecond) { // its rows follow it
		if err := k.pool.QueryRow(ctx, "select rows_through >= $1 from ledger_head", result.Revision).Scan(&whole); err != nil {
			return nil, err
		}
	}
	copying, rows, err := copied(ctx, k.pool.Config().ConnString(), result.Revision)
	if err != nil {
		return nil, err
	}
	rate := func(d time.Duration) string { return fmt.Sprintf("%.0f rows/s", float64(rows)/d.Seconds()) }
	return []line{
		{fmt.Sprintf("import of 100,000 users with 300,000 assignments, %d rows, against copying them into bare tables", rows), rate(took), rate(copying), fmt.Sprintf("%.2f", copying.Seconds()/took.Seconds()), fmt.Sprintf("%s against %s; aim: at least 0.30", short(took), short(copying))},
		{"the longest another change waited meanwhile", short(longest), "", "", "reported"},
		{"the longest a check waited meanwhile", short(checked), "", "", "reported"},
	}, nil
}

// personnelFile is a personnel file of crews of five hundred, each crew with three roles of
// its own.
func personnelFile(users int, roles []string) []byte {
	var csv bytes.Buffer
	csv.WriteString("user_name,display_name,email,unit,title,start_date,roles\n")
	for i := range users {
		crew := i / 500
		fmt.Fprintf(&csv, "crew.%06d,Crew %06d,crew.%06d@larkhaven.example,terminal/crew-%d,Deckhand,2026-01-%02d,%s;%s;%s\n", i, i, i, crew, 1+i%28,
			roles[crew%len(roles)], roles[(crew+1+crew/len(roles))%len(roles)], roles[(crew+5+2*(crew/len(roles)))%len(roles)])
	}
	return csv.Bytes()
}

// copied copies the rows a revision wrote into bare tables of the same columns and
// indexes.
func copied(ctx context.Context, database string, revision int64) (took time.Duration, rows int64, err error) {
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		return 0, 0, err
	}
	defer conn.Close(ctx)
	for _, table := range []string{"user_fact", "personal", "assignment_fact"} {
		where := " where opened = " + fmt.Sprint(revision)
		if table == "personal" {
			where = " where digest in (select personal from user_fact" + where + ")"
		}
		var columns string // but those PostgreSQL fills in itself
		if err := conn.QueryRow(ctx, "select string_agg(column_name, ', ' order by ordinal_position) from information_schema.columns where table_name = $1 and is_generated = 'NEVER'", table).Scan(&columns); err != nil {
			return 0, 0, err
		}
		var content bytes.Buffer
		if _, err := conn.PgConn().CopyTo(ctx, &content, "copy (select "+columns+" from "+table+where+") to stdout (format binary)"); err != nil {
			return 0, 0, err
		}
		if _, err := conn.Exec(ctx, "create table bare_"+table+" (like "+table+" including all)"); err != nil {
			return 0, 0, err
		}
		began := time.Now()
		tag, err := conn.PgConn().CopyFrom(ctx, &content, "copy bare_"+table+" ("+columns+") from stdin (format binary)")
		if err != nil {
			return 0, 0, err
		}
		took += time.Since(began)
		rows += tag.RowsAffected()
	}
	return took, rows, nil
}
