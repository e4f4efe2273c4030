package main

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/desk"
	"ableroster/internal/ledger"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// snapshot compiles a large organisation in memory alone.
func snapshot(users int) (*access.Snapshot, error) {
	s := access.Empty()
	err := demo.Large(users, func(ops []access.Operation) error {
		d := s.Draft()
		for i, op := range ops {
			d.Apply(i, op, 1)
		}
		if len(d.Faults) > 0 {
			return &d.Faults[0]
		}
		s = d.Seal(d.Revision, 1)
		return nil
	})
	return s, err
}

// kept is a large organisation in a ledger on a database of its own.
type kept struct {
	pool   *pgxpool.Pool
	ledger *ledger.Ledger
	desk   *desk.Desk
	admin  desk.Caller
	drop   func()
}

func keep(ctx context.Context, database string, users int) (*kept, error) {
	admin, err := pgx.Connect(ctx, database)
	if err != nil {
		return nil, err
	}
	name := fmt.Sprintf("bench_%d_%d", users, time.Now().UnixNano())
	if _, err := admin.Exec(ctx, "create database "+name); err != nil {
		return nil, err
	}
	u, err := url.Parse(database)
	if err != nil {
		return nil, err
	}
	u.Path = "/" + name
	config, err := pgxpool.ParseConfig(u.String())
	if err != nil {
		return nil, err
	}
	config.MaxConns = 24
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if err := ledger.Migrate(ctx, pool); err != nil {
		return nil, err
	}
	l, err := ledger.Open(ctx, pool, slog.New(slog.DiscardHandler))
	if err != nil {
		return nil, err
	}
	k := &kept{pool: pool, ledger: l, desk: &desk.Desk{Ledger: l, Clock: time.Now}}
	k.drop = func() {
		l.Close()
		pool.Close()
		_, _ = admin.Exec(ctx, "drop database "+name+" with (force)")
		admin.Close(ctx)
	}
	err = demo.Large(users, func(ops []access.Operation) error {
		_, err := l.Commit(ctx, &ledger.Change{Via: "bench", Reason: "loading", Operations: ops}, func(d *access.Draft, _ access.Instant) error {
			if len(d.Faults) > 0 {
				return &d.Faults[0]
			}
			return nil
		})
		return err
	})
	if err != nil {
		k.drop()
		return nil, err
	}
	id, _ := l.Head().FindUser(demo.Administrator)
	k.admin = desk.Caller{User: id, Via: "bench"}
	return k, nil
}
