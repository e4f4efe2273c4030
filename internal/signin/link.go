package signin

import (
	"context"
	"crypto/sha256"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// LinkLasts is how long a sign-in link is good for.
const LinkLasts = 72 * time.Hour

// Link is a one-time link by which somebody sets their own password.
type Link struct {
	User    fact.UserID
	Maker   fact.UserID
	Expires time.Time
}

// NewLink makes a sign-in link for a user, good for a time; earlier ones are void. Its secret is told
// now and never again. powers are what the user may do to others, which the maker
// holds too.
func (d *Authenticator) NewLink(ctx context.Context, user, maker fact.UserID, powers []string, lasts time.Duration, address string) (string, time.Time, error) {
	text, at := secret("")
	expires := d.clock().Add(lasts)
	if powers == nil {
		powers = []string{}
	}
	err := pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from sign_in_link where user_id = $1", uint32(user)); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "insert into sign_in_link (digest, user_id, maker, cleared, expires_at) values ($1, $2, $3, $4, $5)",
			at[:], uint32(user), uint32(maker), powers, expires)
		return err
	})
	if err != nil {
		return "", time.Time{}, err
	}
	d.Record(ctx, Event{Event: "sign-in link made", Actor: maker, User: user, Address: address})
	return text, expires, nil
}

// Link is the link that a secret opens, if it is still good.
func (d *Authenticator) Link(ctx context.Context, code string) (Link, error) {
	at := digest(sha256.Sum256([]byte(code)))
	var l Link
	m := made{}
	err := d.pool.QueryRow(ctx, "select user_id, maker, cleared, expires_at from sign_in_link where digest = $1 and expires_at > $2", at[:], d.clock()).
		Scan((*uint32)(&l.User), (*uint32)(&l.Maker), &m.cleared, &l.Expires)
	if errors.Is(err, pgx.ErrNoRows) {
		return l, ErrLink
	}
	m.user, m.by = l.User, l.Maker
	if err == nil && !d.stands(m) {
		return l, ErrLink
	}
	return l, err
}

// UseLink sets the password of the user a link was made for, and ends the link and
// their sessions and tokens. It can be done once.
func (d *Authenticator) UseLink(ctx context.Context, code, password, address string) (fact.UserID, error) {
	l, err := d.Link(ctx, code)
	if err != nil {
		return 0, err
	}
	hash, err := HashPassword(ctx, password)
	if err != nil {
		return 0, err
	}
	at := digest(sha256.Sum256([]byte(code)))
	err = pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		var cleared []string
		err := tx.QueryRow(ctx, "delete from sign_in_link where digest = $1 returning cleared", at[:]).Scan(&cleared)
		if errors.Is(err, pgx.ErrNoRows) { // used meanwhile
			return ErrLink
		}
		if err != nil {
			return err
		}
		if err := setHash(ctx, tx, l.User, hash); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "update credential set maker = $2, cleared = $3 where user_id = $1", uint32(l.User), uint32(l.Maker), cleared)
		return err
	})
	if err != nil {
		return 0, err
	}
	d.keys.endOf(l.User, digest{})
	d.tell(ctx, l.User)
	d.Record(ctx, Event{Event: "password set by link", Actor: l.User, User: l.User, Address: address})
	return l.User, nil
}
