package main

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/migrations"
	"ableroster/internal/seeing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// snapshot compiles a large organisation in memory alone.
func snapshot(users int) (*access.Snapshot, error) {
	s := access.Empty()
	err := demo.Large(users, func(ops []change.Operation) error {
		d := change.NewDraft(s)
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
	database string // another of the same cluster, to make more in
	pool     *pgxpool.Pool
	ledger   *ledger.Ledger
	service  *seeing.Service
	admin    seeing.Caller
	log      *slog.Logger
	drop     func()
}

// keep makes a large organisation in a database of its own, dropped after.
func keep(ctx context.Context, database string, users int) (*kept, error) {
	name := fmt.Sprintf("bench_%d_%d", users, time.Now().UnixNano())
	if err := execute(ctx, database, "create database "+name); err != nil {
		return nil, err
	}
	k, err := openKept(ctx, within(database, name))
	if err != nil {
		return nil, err
	}
	left := k.drop
	k.drop = func() {
		left()
		_ = execute(ctx, database, "drop database "+name+" with (force)")
	}
	if err := k.fill(users); err != nil {
		k.drop()
		return nil, err
	}
	return k, nil
}

func openKept(ctx context.Context, database string) (*kept, error) {
	config, err := pgxpool.ParseConfig(database)
	if err != nil {
		return nil, err
	}
	config.MaxConns = 24
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if err := migrations.Migrate(ctx, pool); err != nil {
		return nil, err
	}
	log := slog.New(slog.DiscardHandler)
	l, err := ledger.Open(ctx, pool, log)
	if err != nil {
		return nil, err
	}
	k := &kept{database: database, pool: pool, ledger: l, log: log, service: &seeing.Service{Ledger: l, Clock: time.Now}}
	k.drop = func() {
		l.Close()
		pool.Close()
	}
	k.findAdministrator()
	return k, nil
}

func (k *kept) findAdministrator() {
	id, _ := k.ledger.Head().FindUser(demo.Administrator)
	k.admin = seeing.Caller{User: id, Via: "bench"}
}

// fill commits an organisation of so many users.
func (k *kept) fill(users int) error {
	err := demo.Large(users, k.commit)
	k.findAdministrator()
	return err
}

// commit commits operations as the host itself.
func (k *kept) commit(ops []change.Operation) error {
	_, err := k.ledger.Commit(context.Background(), &ledger.Change{Via: "bench", Reason: "loading", Operations: ops}, func(d *change.Draft, _ calendar.Instant) error {
		if len(d.Faults) > 0 {
			return &d.Faults[0]
		}
		return nil
	})
	return err
}

// within is the address of another database of the same cluster.
func within(database, name string) string {
	u, err := url.Parse(database)
	if err != nil {
		return database
	}
	u.Path = "/" + name
	return u.String()
}

func execute(ctx context.Context, database, sql string) error {
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, sql)
	return err
}
