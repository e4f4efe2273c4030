package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"ableroster/internal/jobs"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/migrations"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/internal/tracing"
	"ableroster/internal/usage"

	"github.com/jackc/pgx/v5/pgxpool"
)

// opened is the database with the ledger and the door over it.
type opened struct {
	pool          *pgxpool.Pool
	ledger        *ledger.Ledger
	authenticator *signin.Authenticator
	service       *seeing.Service
	usage         *usage.Counts
	jobs          *jobs.Jobs
}

func (o *opened) close() {
	o.ledger.Close()
	o.usage.Close()
	o.authenticator.Close()
	o.pool.Close()
}

// errNoDatabase says that no database was named.
var errNoDatabase = errors.New("no database: give -database-url or DATABASE_URL")

// pool opens connections to the database, and brings its tables to this program's version.
func (c *config) pool(ctx context.Context) (*pgxpool.Pool, error) {
	if c.databaseURL == "" {
		return nil, errNoDatabase
	}
	var more []func(*pgxpool.Config)
	if tracing.Configured() {
		more = append(more, tracing.Statements)
	}
	pool, err := database.OpenPool(ctx, c.databaseURL, more...)
	if err != nil {
		return nil, fmt.Errorf("-database-url: %w", err)
	}
	err = migrations.Migrate(ctx, pool)
	if err == nil {
		err = jobs.Migrate(ctx, pool, slog.New(slog.DiscardHandler))
	}
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("migrating: %w", err)
	}
	return pool, nil
}

func (c *config) open(ctx context.Context, log *slog.Logger) (*opened, error) {
	pool, err := c.pool(ctx)
	if err != nil {
		return nil, err
	}
	l, err := ledger.Open(ctx, pool, log)
	if err != nil {
		pool.Close()
		return nil, err
	}
	authenticator, err := signin.Open(ctx, pool, log, l.Now)
	if err != nil {
		l.Close()
		pool.Close()
		return nil, err
	}
	queue, err := jobs.Open(pool, log)
	if err != nil {
		authenticator.Close()
		l.Close()
		pool.Close()
		return nil, err
	}
	counts := usage.Open(pool, log)
	return &opened{pool, l, authenticator, &seeing.Service{Ledger: l, Clock: l.Now, Usage: counts, Accounts: authenticator.Accounts, Saved: &saved.Store{Pool: pool}, Jobs: queue}, counts, queue}, nil
}

// lostWait is how long calls that are refused anyhow may take, once the ledger is not the
// one that was answered from.
const lostWait = 2 * time.Second

// startWait is how long a program that starts waits for a database that cannot be reached:
// both may have been started by the same hand.
const startWait = 20 * time.Second

// openBy opens the ledger as soon as the database can be reached, by an instant at the
// latest; zero for whenever.
func (c *config) openBy(ctx context.Context, log *slog.Logger, latest time.Time) (*opened, error) {
	for {
		o, err := c.open(ctx, log)
		if err == nil || errors.Is(err, errNoDatabase) || errors.Is(err, database.ErrAddress) || !errors.Is(database.Unavailable(err), database.ErrUnavailable) || ctx.Err() != nil || !latest.IsZero() && time.Now().After(latest) {
			return o, err
		}
		log.Warn("the ledger cannot be opened yet", "error", err)
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(time.Second):
		}
	}
}
