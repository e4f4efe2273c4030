package main

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
)

func lastingName(users int) string { return fmt.Sprintf("bench_lasting_%d", users) }

// lasting is keep for a database that stays for the next run: the largest take
// minutes to make. One that was not finished is made anew.
func lasting(ctx context.Context, database string, users int) (*kept, error) {
	name := lastingName(users)
	if execute(ctx, within(database, name), "select from bench_finished") == nil {
		return openKept(ctx, within(database, name))
	}
	for _, sql := range []string{"drop database if exists " + name + " with (force)", "create database " + name} {
		if err := execute(ctx, database, sql); err != nil {
			return nil, err
		}
	}
	k, err := openKept(ctx, within(database, name))
	if err != nil {
		return nil, err
	}
	if err := k.fillUnindexed(ctx, users); err != nil {
		k.drop()
		return nil, err
	}
	return k, nil
}

// fillUnindexed is fill with the secondary indexes made at the end.
func (k *kept) fillUnindexed(ctx context.Context, users int) error {
	rows, err := k.pool.Query(ctx, `select indexname, indexdef from pg_indexes where schemaname = 'public' and indexdef not like 'CREATE UNIQUE%'`)
	if err != nil {
		return err
	}
	type index struct{ Indexname, Indexdef string }
	indexes, err := pgx.CollectRows(rows, pgx.RowToStructByPos[index])
	if err != nil {
		return err
	}
	var after []string
	for _, x := range indexes {
		if _, err := k.pool.Exec(ctx, "drop index "+x.Indexname); err != nil {
			return err
		}
		after = append(after, x.Indexdef)
	}
	if err := k.fill(users); err != nil {
		return err
	}
	_, err = k.pool.Exec(ctx, strings.Join(after, ";"))
	if err != nil {
		return err
	}
	for _, sql := range []string{"vacuum analyze", "create table bench_finished ()"} {
		if _, err := k.pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}
