package database

import (
	"errors"
	"fmt"
	"io"
	"net"
	"syscall"

	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/puddle/v2"
)

// ErrUnavailable is returned when PostgreSQL cannot be reached. Whether a
// commit under way then stands is known only once it is back.
var ErrUnavailable = errors.New("the database cannot be reached")

// ErrReadOnly is returned when the database takes no changes: it is a standby, or was set so.
var ErrReadOnly = errors.New("the database takes no changes now: it is read-only")

// ErrBeforeFirst is returned for an instant before the first revision.
var ErrBeforeFirst = errors.New("that is before the first revision")

// Unavailable marks the errors that mean PostgreSQL cannot be reached, or takes no changes.
func Unavailable(err error) error {
	var pg interface{ SQLState() string }
	var spoiled *revisions.Unreadable
	var wrong *revisions.Unfit
	var row *factrows.SpoiledRow
	if err == nil || errors.As(err, &spoiled) || errors.Is(err, ErrBeforeFirst) || errors.Is(err, ErrLost) || errors.As(err, &wrong) || errors.As(err, &row) || errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	if errors.As(err, &pg) {
		// 57P.. is the server going away, 08... the connection, 53... no room, 25006 that it
		// takes no changes.
		switch c := pg.SQLState(); {
		case c == "25006":
			return fmt.Errorf("%w: %w", ErrReadOnly, err)
		case len(c) == 5 && (c[:3] == "57P" || c[:2] == "08" || c[:2] == "53"):
			return fmt.Errorf("%w: %w", ErrUnavailable, err)
		}
		return err
	}
	return fmt.Errorf("%w: %w", ErrUnavailable, err)
}

// BrokenOff says whether an error is that of a database which went away while it was asked, or of a
// connection to it that broke, of whoever asked it without the ledger; or that the service is
// stopping, and has given its connections back.
func BrokenOff(err error) bool {
	var connect *pgconn.ConnectError
	var pg interface{ SQLState() string }
	if errors.As(err, &pg) {
		return errors.Is(Unavailable(err), ErrUnavailable)
	}
	for _, broken := range []error{io.EOF, io.ErrUnexpectedEOF, net.ErrClosed, puddle.ErrClosedPool, pgx.ErrTxClosed, pgx.ErrTxCommitRollback, syscall.ECONNRESET, syscall.EPIPE, syscall.ETIMEDOUT, syscall.ECONNREFUSED} {
		if errors.Is(err, broken) {
			return true
		}
	}
	return errors.As(err, &connect) || pgconn.SafeToRetry(err)
}

// ErrLost is returned for a commit once the ledger is not the one this program answered
// from: see Lost.
var ErrLost = errors.New("the ledger in the database is another one than this service answered from")
