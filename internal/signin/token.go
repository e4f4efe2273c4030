package signin

import (
	"context"
	"time"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5"
)

// Token is an API token as it is listed.
type Token struct {
	ID      int64
	User    access.UserID
	Label   string
	Created time.Time
	Expires *time.Time
}

// NewToken makes a token for a user. Its secret is told now and never again.
func (d *Door) NewToken(ctx context.Context, user access.UserID, label string, lasts time.Duration) (Token, string, error) {
	text, digest := secret(tokenPrefix)
	t := Token{User: user, Label: label}
	expires := d.clock().Add(lasts)
	t.Expires = &expires
	err := d.pool.QueryRow(ctx, "insert into token (digest, user_id, label, expires_at) values ($1, $2, $3, $4) returning id, created_at",
		digest[:], uint32(user), label, expires).Scan(&t.ID, &t.Created)
	if err != nil {
		return t, "", err
	}
	d.remember(digest, key{user: user, expires: expires, token: true})
	d.tell(ctx)
	return t, text, nil
}

// Tokens are a user's tokens, newest first.
func (d *Door) Tokens(ctx context.Context, user access.UserID) ([]Token, error) {
	rows, err := d.pool.Query(ctx, "select id, user_id, label, created_at, expires_at from token where user_id = $1 order by id desc", uint32(user))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (t Token, err error) {
		return t, r.Scan(&t.ID, (*uint32)(&t.User), &t.Label, &t.Created, &t.Expires)
	})
}

// EndToken ends a token of a user, and says whether there was one.
func (d *Door) EndToken(ctx context.Context, user access.UserID, id int64) (bool, error) {
	var digest []byte
	err := d.pool.QueryRow(ctx, "delete from token where id = $1 and user_id = $2 returning digest", id, uint32(user)).Scan(&digest)
	if err == pgx.ErrNoRows {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	d.forgetDigest([32]byte(digest))
	d.tell(ctx)
	return true, nil
}
