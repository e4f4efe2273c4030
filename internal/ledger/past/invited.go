package past

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"

	"github.com/jackc/pgx/v5"
)

// sqlInvited reads it from the operations: they name users by id. Whoever signs up by themselves has
// had their link.
const sqlInvited = `select r.revision, coalesce(r.author, 0), o.body::jsonb->>'user' from revision r join operation o on o.revision = coalesce(-r.staged, r.revision)
	where r.revision > $1 and r.revision <= $2 and r.via <> 'sign-up' and o.verb in ('add_user', 'update_user') and o.body like '%"status":"invited"%' and o.body::jsonb->>'status' = 'invited'
	order by r.revision, o.position`

// Invited is somebody who was invited.
type Invited struct {
	Revision int64
	By, User fact.UserID
}

// InvitedBetween are the users who were invited by the revisions after one and up to another,
// in their order.
func (l *Past) InvitedBetween(ctx context.Context, after, upTo int64) ([]Invited, error) {
	rows, err := l.pool.Query(ctx, sqlInvited, after, upTo)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (x Invited, err error) {
		var user string
		err = r.Scan(&x.Revision, (*uint32)(&x.By), &user)
		n, _ := fact.ParseID("user", user)
		x.User = fact.UserID(n)
		return x, err
	})
	return out, database.Unavailable(err)
}
