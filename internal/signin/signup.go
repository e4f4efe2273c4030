package signin

import (
	"context"
	"crypto/sha256"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// SignUpLasts is how long somebody who asked to sign up may do so.
const SignUpLasts = 24 * time.Hour

// mostSignUps bounds how many have asked to sign up and have not done so.
const mostSignUps = 10_000

// SignUp is somebody who asked to sign up, and is no user yet.
type SignUp struct {
	ID      int64
	Address string
}

// AskSignUp keeps that somebody asked to sign up by an e-mail address, which came from a network
// address: what was asked by the same one before is void. It fails with ErrPaused where too many
// have asked.
func (d *Authenticator) AskSignUp(ctx context.Context, address, from string) (id int64, err error) {
	now := d.clock()
	err = d.pool.QueryRow(ctx, `insert into sign_up (address, expires_at) select $1, $2 where (select count(*) from sign_up where expires_at > $3) < $4
		on conflict (lower(address)) do update set id = default, address = excluded.address, digest = null, expires_at = excluded.expires_at returning id`,
		address, now.Add(SignUpLasts), now, mostSignUps).Scan(&id)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrPaused
	}
	if err == nil {
		d.Record(ctx, Event{Event: "sign-up asked for", Address: from})
	}
	return id, err
}

// SignUpAsked is what was asked, by its number. It fails with ErrLink once it is void.
func (d *Authenticator) SignUpAsked(ctx context.Context, id int64) (SignUp, error) {
	return d.signUp(ctx, "id = $1", id)
}

// SignUp is who may sign up by the link of a code. It fails with ErrLink where nobody may.
func (d *Authenticator) SignUp(ctx context.Context, code string) (SignUp, error) {
	at := digest(sha256.Sum256([]byte(code)))
	return d.signUp(ctx, "digest = $1", at[:])
}

func (d *Authenticator) signUp(ctx context.Context, where string, key any) (x SignUp, err error) {
	err = d.pool.QueryRow(ctx, "select id, address from sign_up where "+where+" and expires_at > $2", key, d.clock()).Scan(&x.ID, &x.Address)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrLink
	}
	return x, err
}

// SignUpLink makes the code of the link by which somebody signs up; an earlier one is void.
func (d *Authenticator) SignUpLink(ctx context.Context, id int64) (code string, expires time.Time, err error) {
	code, at := secret("")
	err = d.pool.QueryRow(ctx, "update sign_up set digest = $2 where id = $1 and expires_at > $3 returning expires_at", id, at[:], d.clock()).Scan(&expires)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrLink
	}
	return code, expires, err
}

// SignedUp makes the link of whoever signed up one by which that user sets their password, as
// NewLink does. It fails with ErrLink where it is not good any more.
func (d *Authenticator) SignedUp(ctx context.Context, code string, user, maker fact.UserID, powers []string, from string) error {
	at := digest(sha256.Sum256([]byte(code)))
	if powers == nil {
		powers = []string{}
	}
	tag, err := d.pool.Exec(ctx, `with used as (delete from sign_up where digest = $1 and expires_at > $5 returning expires_at)
		insert into sign_in_link (digest, user_id, maker, cleared, expires_at) select $1, $2, $3, $4, expires_at from used`,
		at[:], uint32(user), uint32(maker), powers, d.clock())
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrLink
	}
	if err == nil {
		d.Record(ctx, Event{Event: "signed up", Actor: user, User: user, Address: from})
	}
	return err
}
