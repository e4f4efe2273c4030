package database_test

import (
	"context"
	"fmt"
	"net"
	"os"
	"syscall"
	"testing"

	"ableroster/internal/ledger/database"

	"github.com/jackc/pgx/v5/pgxpool"
)

// A service that is stopping has given its connections back: whoever asks one is told to try again,
// and not that something went wrong.
func TestAClosedPoolIsBrokenOff(t *testing.T) {
	pool, err := pgxpool.New(context.Background(), "postgres://nobody@127.0.0.1:1/nothing?pool_min_conns=0")
	if err != nil {
		t.Fatal(err)
	}
	pool.Close()
	_, err = pool.Exec(context.Background(), "select 1")
	if err == nil || !database.BrokenOff(err) || !database.BrokenOff(fmt.Errorf("a link: %w", err)) {
		t.Errorf("%v is not said to be broken off", err)
	}
	for _, of := range []syscall.Errno{syscall.ECONNRESET, syscall.EPIPE, syscall.ETIMEDOUT, syscall.ECONNREFUSED} {
		if err := fmt.Errorf("a queue: %w", &net.OpError{Op: "read", Err: os.NewSyscallError("read", of)}); !database.BrokenOff(err) {
			t.Errorf("%v is not said to be broken off", err)
		}
	}
	if accept := (&net.OpError{Op: "accept", Err: syscall.EMFILE}); database.BrokenOff(accept) {
		t.Errorf("%v is said to be the database's", accept)
	}
	if database.BrokenOff(fmt.Errorf("another fault")) {
		t.Error("any fault is said to be broken off")
	}
}
