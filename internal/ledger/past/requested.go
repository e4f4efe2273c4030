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
