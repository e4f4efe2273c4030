package signin

import (
	"context"
	"time"

	"ableroster/internal/fact"
)

// GoodTokens is how many tokens of an account are good, and when the last of them ends; nil
// is never.
type GoodTokens struct {
	Good int
	Ends *time.Time
}

// GoodTokens are those of all who have any.
func (d *Authenticator) GoodTokens(ctx context.Context) (map[fact.UserID]GoodTokens, error) {
	rows, err := d.pool.Query(ctx, `select user_id, count(*), case when bool_or(expires_at is null) then null else max(expires_at) end from token
		where expires_at is null or expires_at > $1 group by user_id`, d.clock())
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[fact.UserID]GoodTokens{}
	for rows.Next() {
		var id fact.UserID
		var x GoodTokens
		if err := rows.Scan((*uint32)(&id), &x.Good, &x.Ends); err != nil {
			return nil, err
		}
		out[id] = x
	}
	return out, rows.Err()
}
