package ledger

import (
	"context"
	"encoding/hex"
	"errors"
	"time"

	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/past"
	"ableroster/signedhead"

	"github.com/jackc/pgx/v5"
)

const sqlMark = `select hash, at, epoch from revision where revision = $1`

// HeadAt is the head as it was at a revision, unsigned; 0 is the newest. ErrNoRevision is
// returned where the ledger does not go so far.
func (l *Ledger) HeadAt(ctx context.Context, revision int64) (signedhead.LedgerHead, error) {
	if revision == 0 {
		if revision = l.Head().Revision; revision == 0 {
			return signedhead.LedgerHead{}, past.ErrNoRevision
		}
	}
	h := signedhead.LedgerHead{Ledger: l.id, Revision: revision}
	var hash []byte
	var at time.Time
	err := l.pool.QueryRow(ctx, sqlMark, revision).Scan(&hash, &at, &h.Epoch)
	if errors.Is(err, pgx.ErrNoRows) {
		return h, past.ErrNoRevision
	}
	h.Hash, h.At = hex.EncodeToString(hash), at.UTC()
	return h, database.Unavailable(err)
}

// Fits says how a head that was kept elsewhere fits the ledger: a blank text is that it
// does.
func (l *Ledger) Fits(ctx context.Context, kept signedhead.LedgerHead) (string, error) {
	if kept.Ledger != l.id {
		return "it is of another ledger", nil
	}
	now, err := l.HeadAt(ctx, kept.Revision)
	switch {
	case errors.Is(err, past.ErrNoRevision):
		return "the ledger does not go so far any more: revisions were lost", nil
	case err != nil:
		return "", err
	case now.Hash != kept.Hash:
		return "that revision, or one before it, is another one now", nil
	}
	return "", nil
}

// LoseSince begins a new epoch, since a head that was kept elsewhere says that revisions
// were lost while no program ran: see loseRevisions. epoch is more than any that was kept.
func (l *Ledger) LoseSince(ctx context.Context, why string, epoch int) error {
	l.log.Error("revisions of this ledger were lost; a new epoch begins, and nobody stays signed in", "why", why)
	return l.nextEpoch(ctx, epoch)
}

// ID is that of the ledger, wherever its database is.
func (l *Ledger) ID() string { return l.id }

// Epoch is the ledger's: it grows whenever revisions were lost.
func (l *Ledger) Epoch() int { return l.epoch }
