package testkit

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	"ableroster/internal/jobs"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/migrations"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

var databases atomic.Int64

// Database makes a database with the tables and nothing in them, in the cluster
// make test starts, and drops it after the test.
func Database(t testing.TB) string {
	t.Helper()
	return made(t, template(t, "empty", func(address string) {
		pool, err := pgxpool.New(context.Background(), address)
		if err != nil {
			t.Fatal(err)
		}
		defer pool.Close()
		if err := errors.Join(migrations.Migrate(context.Background(), pool), jobs.Migrate(context.Background(), pool, slog.New(slog.DiscardHandler))); err != nil {
			t.Fatal(err)
		}
	}))
}

// Long skips a test that takes more than a second where -short asks for what is quick.
func Long(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("takes long")
	}
}

// EmptyDatabase makes a database with nothing in it at all.
func EmptyDatabase(t testing.TB) string {
	t.Helper()
	return made(t, "template0")
}

var (
	templateMu sync.Mutex
	templates  = map[string]string{}
)

// template makes a database that others are copied from, once for the run.
func template(t testing.TB, what string, fill func(address string)) string {
	t.Helper()
	templateMu.Lock()
	defer templateMu.Unlock()
	if name := templates[what]; name != "" {
		return name
	}
	address, conn := admin(t)
	defer conn.Close(context.Background())
	name := fmt.Sprintf("test_%d_%s", os.Getpid(), what)
	drop(t, name) // of a process of that number that was killed
	if _, err := conn.Exec(context.Background(), "create database "+name+" template template0"); err != nil {
		t.Fatal(err)
	}
	fill(renamed(t, address, name))
	templates[what] = name
	return name
}

func admin(t testing.TB) (string, *pgx.Conn) {
	t.Helper()
	address := os.Getenv("ROSTER_TEST_DATABASE_URL")
	if address == "" {
		t.Fatal("this test needs PostgreSQL: run make test, or give ROSTER_TEST_DATABASE_URL")
	}
	conn, err := pgx.Connect(context.Background(), address)
	if err != nil {
		t.Fatal(err)
	}
	return address, conn
}

func made(t testing.TB, template string) string {
	t.Helper()
	address, conn := admin(t)
	defer conn.Close(context.Background())
	name := fmt.Sprintf("test_%d_%d", os.Getpid(), databases.Add(1))
	drop(t, name)
	if _, err := conn.Exec(context.Background(), "create database "+name+" template "+template); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { drop(t, name) })
	return renamed(t, address, name)
}

func drop(t testing.TB, name string) {
	_, conn := admin(t)
	defer conn.Close(context.Background())
	if _, err := conn.Exec(context.Background(), "drop database if exists "+name+" with (force)"); err != nil {
		t.Error(err)
	}
}

func renamed(t testing.TB, address, name string) string {
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	u.Path = "/" + name
	return u.String()
}

// Pool opens a database until the test ends.
func Pool(t testing.TB, address string) *pgxpool.Pool {
	t.Helper()
	pool, err := database.OpenPool(context.Background(), address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(pool.Close)
	return pool
}

// Ledger opens the ledger of a database until the test ends.
func Ledger(t testing.TB, database string) (*ledger.Ledger, *pgxpool.Pool) {
	t.Helper()
	pool := Pool(t, database)
	if err := migrations.Migrate(context.Background(), pool); err != nil {
		t.Fatal(err)
	}
	l, err := ledger.Open(context.Background(), pool, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(l.Close)
	return l, pool
}

// DemoDatabase makes a database with the demo organisation loaded. As that takes some
// seconds for each package, its test is skipped where -short asks for what is quick.
func DemoDatabase(t testing.TB) string {
	t.Helper()
	Long(t)
	return made(t, template(t, "demo", func(address string) { LoadDemo(t, address) }))
}

// LoadDemo loads the demo organisation into an empty database and gives the
// number of its last revision.
func LoadDemo(t testing.TB, database string) int64 {
	t.Helper()
	Run(t, "", "rosterd", "load-demo", "-database-url", database)
	conn, err := pgx.Connect(context.Background(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	var n int64
	if err := conn.QueryRow(context.Background(), "select revision from ledger_head").Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// dropTemplates drops what databases were copied from.
func dropTemplates() {
	if len(templates) == 0 {
		return
	}
	conn, err := pgx.Connect(context.Background(), os.Getenv("ROSTER_TEST_DATABASE_URL"))
	if err != nil {
		return
	}
	defer conn.Close(context.Background())
	for _, name := range templates {
		_, _ = conn.Exec(context.Background(), "drop database if exists "+name+" with (force)")
	}
}
