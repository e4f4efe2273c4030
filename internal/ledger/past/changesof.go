package past

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/revisions"
)

// ErrTooMany says that a revision has more operations than are looked at one by one.
var ErrTooMany = errors.New("the revision has too many operations")

// ChangesOf is what a revision changed: each fact as it was before and after. It fails with
// ErrNoRevision, and with ErrTooMany for one of more operations than most.
func (l *Past) ChangesOf(ctx context.Context, revision int64, most int) ([]access.RowChange, error) {
	if revision < 1 || revision > l.head().Revision {
		return nil, ErrNoRevision
	}
	var operations int
	err := l.pool.QueryRow(ctx, "select count(*) from (select from operation o join revision r on o.revision = coalesce(-r.staged, r.revision) where r.revision = $1 limit $2 + 1) x", revision, most).Scan(&operations)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	if operations > most {
		return nil, ErrTooMany
	}
	all, err := revisions.Read(ctx, l.pool, revision-1, 1, 0)
	if err != nil || len(all) != 1 || all[0].Revision != revision {
		return nil, cmp.Or(database.Unavailable(err), ErrNoRevision)
	}
	before := access.Empty()
	if revision > 1 {
		if before, err = l.At(ctx, all[0].At-1); err != nil {
			return nil, err
		}
	}
	if before.Revision != revision-1 {
		return nil, fmt.Errorf("revision %d follows revision %d", revision, before.Revision)
	}
	d, err := revisions.Replay(before, &all[0])
	if err != nil {
		return nil, fmt.Errorf("revision %d: %w", revision, err)
	}
	return d.Changes(), nil
}

// ErrNoRevision is returned for a revision that is not in the ledger.
var ErrNoRevision = errors.New("the ledger does not go so far")
