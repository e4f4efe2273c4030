package past

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"

	"github.com/jackc/pgx/v5"
)

const sqlRequested = `select distinct o.body::jsonb->>'request' from revision r join operation o on o.revision = coalesce(-r.staged, r.revision)
	where r.revision > $1 and r.revision <= $2 and o.verb in ('request_role', 'decide_request') and o.body::jsonb->>'request' is not null`

// RequestsBetween are the numbers of the requests for access that the revisions after one and
// up to another opened or decided on.
func (l *Past) RequestsBetween(ctx context.Context, after, upTo int64) (out []uint32, err error) {
	rows, err := l.pool.Query(ctx, sqlRequested, after, upTo)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[string])
	for _, id := range ids {
		if n, ok := fact.ParseID("request", id); ok {
			out = append(out, n)
		}
	}
	return out, database.Unavailable(err)
}

const sqlShared = `select distinct o.body::jsonb->>'user', o.body::jsonb->>'role' from revision r join operation o on o.revision = coalesce(-r.staged, r.revision)
	where r.revision > $1 and r.revision <= $2 and o.verb = 'share_role'`

// Shared is a role that was shared with a user.
type Shared struct {
	User fact.UserID
	Role fact.RoleID
}

// SharedBetween is with whom the revisions after one and up to another shared which roles.
func (l *Past) SharedBetween(ctx context.Context, after, upTo int64) (out []Shared, err error) {
	rows, err := l.pool.Query(ctx, sqlShared, after, upTo)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	var user, role *string
	_, err = pgx.ForEachRow(rows, []any{&user, &role}, func() error {
		if user != nil && role != nil {
			u, _ := fact.ParseID("user", *user)
			r, _ := fact.ParseID("role", *role)
			out = append(out, Shared{fact.UserID(u), fact.RoleID(r)})
		}
		return nil
	})
	return out, database.Unavailable(err)
}
