package signin

import (
	"context"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// placeOf is what the secret of a user's one-time codes is sealed for.
func placeOf(user fact.UserID) string { return "second factor of " + user.String() }

// SealSecrets seals anew, with the newest key, what another sealed or nobody did. It is of how
// many users the secret cannot be read: their keys are lost.
func (d *Authenticator) SealSecrets(ctx context.Context) (lost int, err error) {
	rows, err := d.pool.Query(ctx, "select user_id, secret from second_factor where secret <> ''")
	if err != nil {
		return 0, err
	}
	type kept struct {
		User   uint32
		Secret []byte
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[kept])
	if err != nil {
		return 0, err
	}
	for _, k := range all {
		anew, changed, err := d.Secrets.Anew(placeOf(fact.UserID(k.User)), k.Secret)
		switch {
		case err != nil:
			lost++
		case changed:
			if _, err := d.pool.Exec(ctx, "update second_factor set secret = $3 where user_id = $1 and secret = $2", k.User, k.Secret, anew); err != nil {
				return lost, err
			}
		}
	}
	return lost, nil
}
