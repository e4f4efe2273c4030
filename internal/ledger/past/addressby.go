package past

import (
	"context"
	"errors"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"

	"github.com/jackc/pgx/v5"
)

const sqlAddressBy = `select coalesce(r.author, 0) from operation o join revision r on o.revision = coalesce(-r.staged, r.revision)
	where o.subjects @> array[$1] and o.verb in ('add_user', 'update_user') and o.body like '%"personal":"%' order by r.revision desc limit 1`

// AddressBy is who last wrote the personal values of a user, their address among them: they
// could have mail for the user sent to themselves. 0 is the host, or nobody.
func (l *Past) AddressBy(ctx context.Context, user fact.UserID) (by fact.UserID, err error) {
	err = l.pool.QueryRow(ctx, sqlAddressBy, user.String()).Scan((*uint32)(&by))
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, nil
	}
	return by, database.Unavailable(err)
}
