package signin

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// ErrNoToken says that there is no token of a label.
var ErrNoToken = errors.New("there is no token of this label that is good")

// Rotation is a new token in the place of those that were there.
type Rotation struct {
	Token  Token
	Secret string    // told now and never again
	Ending int       // how many of before end at EndsAt, or earlier where they did so anyhow
	EndsAt time.Time // until when both are good
}

// Rotate makes a token for a user in the place of those there are, which end after an overlap: all
// of them, or those of a label; ErrNoToken where there is none of it. Of two rotations at once the
// later token stays. It is good for what the newest of them was, and called so. maker and
// powers are those of NewToken.
func (d *Authenticator) Rotate(ctx context.Context, user, maker fact.UserID, by Means, powers []string, label string, lasts, overlap time.Duration, address string) (Rotation, error) {
	like := Token{Label: label}
	now := d.clock()
	err := d.pool.QueryRow(ctx, "select label, only_for from token where user_id = $1 and ($2 = '' or label = $2) and (expires_at is null or expires_at > $3) order by id desc limit 1", uint32(user), label, now).Scan(&like.Label, &like.Only)
	if errors.Is(err, pgx.ErrNoRows) && label != "" { // it would be good for more than those were meant to be
		return Rotation{}, ErrNoToken
	}
	if err != nil && !errors.Is(err, pgx.ErrNoRows) {
		return Rotation{}, err
	}
	if like.Label == "" {
		like.Label = "API token"
	}
	out := Rotation{EndsAt: now.Add(overlap)}
	if out.Token, out.Secret, err = d.NewToken(ctx, user, maker, by, powers, like.Label, like.Only, lasts, address); err != nil {
		return Rotation{}, err
	}
	tag, err := d.pool.Exec(ctx, "update token set expires_at = $5 where user_id = $1 and id < $2 and ($3 = '' or label = $3) and (expires_at is null or expires_at > $5) and (expires_at is null or expires_at > $4)",
		uint32(user), out.Token.ID, label, now, out.EndsAt)
	if err != nil {
		return Rotation{}, err
	}
	out.Ending = int(tag.RowsAffected())
	d.tell(ctx, user)
	d.Record(ctx, Event{Event: "tokens rotated", Actor: maker, User: user, Address: address})
	return out, d.loadOf(ctx, user)
}
