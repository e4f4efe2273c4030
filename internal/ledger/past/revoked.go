package past

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"

	"github.com/jackc/pgx/v5"
)

const sqlLastRevoked = `select r.revision, r.at from assignment_fact f join revision r on r.revision = f.closed
	where f.role = $1 and (f.assignee_user = $2 and $2 <> 0 or f.assignee_group = $3 and $3 <> 0)
	order by f.closed desc limit 1`

// LastRevoked is when an assignment of a role to a user or a group last ended by a
// revision; revision is 0 where none ever did.
func (l *Past) LastRevoked(ctx context.Context, of fact.Assignee, role fact.RoleID) (revision int64, at time.Time, err error) {
	err = l.pool.QueryRow(ctx, sqlLastRevoked, uint32(role), uint32(of.User), uint32(of.Group)).Scan(&revision, &at)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, at, nil
	}
	return revision, at, database.Unavailable(err)
}
