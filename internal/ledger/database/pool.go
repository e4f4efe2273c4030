package database

import (
	"context"
	"errors"
	"net"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Everything that is asked of the database has an end, here and there: a line may break
// without a word, a host may be lost while it holds the head, and others wait for it then.
const (
	connectIn = 5 * time.Second // to reach the database
	pingIn    = 2 * time.Second // to hear from it on a connection that lay ready
)

// there are the settings of a session, for what the server does about a host that is lost:
// it asks after 5 s of silence, and lets go of what nobody answers for 9 s more. A
// transaction that is begun and not gone on with ends after 10 s, and nobody waits for a
// lock longer than commitLimit.
var there = map[string]string{
	"tcp_keepalives_idle":                 "5",
	"tcp_keepalives_interval":             "3",
	"tcp_keepalives_count":                "3",
	"tcp_user_timeout":                    "14000",
	"idle_in_transaction_session_timeout": "10000",
	"lock_timeout":                        "30000",
	"statement_timeout":                   "600000",
	"gin_pending_list_limit":              "262144", // kB: see tidy
	"jit":                                 "off",    // no query runs long enough to gain by it
}

// LongIdle is how long a transaction may stand while something large is judged, replayed or
// read: only the server's keep-alives end those of a host that is lost.
const LongIdle = "set local idle_in_transaction_session_timeout = '10min'"

// ErrAddress says that what was given is no address of a database.
var ErrAddress = errors.New("this is not a PostgreSQL address")

// OpenPool opens connections to a database as this program needs them; more may set what
// else is to be. That an address
// cannot be read is said without it: it may hold the password.
func OpenPool(ctx context.Context, address string, more ...func(*pgxpool.Config)) (*pgxpool.Pool, error) {
	config, err := pgxpool.ParseConfig(address)
	if err != nil {
		return nil, ErrAddress
	}
	config.MaxConns = max(config.MaxConns, 16)
	config.PingTimeout = pingIn
	config.ConnConfig.ConnectTimeout = connectIn
	for name, value := range there {
		if _, set := config.ConnConfig.RuntimeParams[name]; !set {
			config.ConnConfig.RuntimeParams[name] = value
		}
	}
	dial := &net.Dialer{KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: 5 * time.Second, Interval: 3 * time.Second, Count: 3}}
	all := &lines{all: map[*line]struct{}{}}
	config.ConnConfig.DialFunc = all.dial(dial)
	for _, set := range more {
		set(config)
	}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err == nil {
		linesOf.Store(pool, all)
	}
	return pool, err
}

// AnswersIn is how long whoever follows the ledger waits for an answer of the database.
const AnswersIn = 3 * time.Second

// Read runs f in a transaction that sees one state of the database.
func Read(ctx context.Context, pool *pgxpool.Pool, f func(pgx.Tx) error) error {
	err := pgx.BeginTxFunc(ctx, pool, pgx.TxOptions{BeginQuery: "begin isolation level repeatable read read only; " + LongIdle}, f)
	return Unavailable(err)
}
