package serve

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// A connection that breaks while the database is asked is said to be that, whoever asked: it is no
// fault of ours, and trying again is worth it.
func TestABrokenConnectionIsNoFaultOfOurs(t *testing.T) {
	_, refused := pgx.Connect(t.Context(), "postgres://nobody@127.0.0.1:1/nothing")
	for _, err := range []error{io.ErrUnexpectedEOF, io.EOF, net.ErrClosed, pgx.ErrTxClosed, pgx.ErrTxCommitRollback, refused, &pgconn.PgError{Code: "57P01"}, context.DeadlineExceeded} {
		if p := ProblemOf(fmt.Errorf("asking: %w", err)); p.Status != 503 || p.RetryAfter == 0 {
			t.Errorf("%v is told as %d %s", err, p.Status, p.Detail)
		}
	}
	if p := ProblemOf(errors.New("a fault of ours")); p.Status != 500 {
		t.Errorf("%d", p.Status)
	}
}
