package testkit

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"
)

var databases atomic.Int64

// Database makes an empty database in the cluster make test starts, and drops
// it after the test.
func Database(t testing.TB) string { return database(t, "template0") }

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

func database(t testing.TB, template string) string {
	t.Helper()
	address, conn := admin(t)
	defer conn.Close(context.Background())
	name := fmt.Sprintf("test_%d_%d", os.Getpid(), databases.Add(1))
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

var (
	demoOnce sync.Once
	demoName string
)

// DemoDatabase makes a database with the demo organisation loaded.
func DemoDatabase(t testing.TB) string {
	t.Helper()
	demoOnce.Do(func() {
		address, conn := admin(t)
		defer conn.Close(context.Background())
		name := fmt.Sprintf("test_%d_demo", os.Getpid())
		if _, err := conn.Exec(context.Background(), "create database "+name+" template template0"); err != nil {
			t.Fatal(err)
		}
		LoadDemo(t, renamed(t, address, name))
		demoName = name
	})
	if demoName == "" {
		t.Fatal("the demo could not be loaded")
	}
	return database(t, demoName)
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
	if err := conn.QueryRow(context.Background(), "select revision from head").Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// DropDemo drops what DemoDatabase copies from; TestMain calls it last.
func DropDemo() {
	if demoName == "" {
		return
	}
	conn, err := pgx.Connect(context.Background(), os.Getenv("ROSTER_TEST_DATABASE_URL"))
	if err != nil {
		return
	}
	defer conn.Close(context.Background())
	_, _ = conn.Exec(context.Background(), "drop database if exists "+demoName+" with (force)")
}
