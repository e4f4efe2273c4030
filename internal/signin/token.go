package signin

import (
	"context"
	"crypto/sha256"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Token is an API token as it is listed.
type Token struct {
	ID      int64
	User    fact.UserID
	Label   string
	Only    string // what it is good for alone, see Only…; blank: all its user may do
	Created time.Time
	Expires *time.Time
}

// MostTokens bounds how many tokens a user has at a time.
const MostTokens = 50

// ErrTokens says that a user has as many tokens as one may have.
var ErrTokens = errors.New("there are 50 tokens already: end one first")

// What a token may be good for alone.
const (
	OnlyReading   = "reading"   // whatever alters nothing
	OnlyDecisions = "decisions" // asking for decisions
	OnlyPeople    = "people"    // keeping people by SCIM
)

// NewToken makes a token for a user, good for all they may do or for something alone. Its secret is told now and never again. maker is
// who is told it: the user, or who looks after a machine account; powers are those of
// the user, which the maker holds too; by is the session or token by
// which a user asks for their own: who could be behind that could know the new one.
func (d *Authenticator) NewToken(ctx context.Context, user, maker fact.UserID, by Means, powers []string, label, only string, lasts time.Duration, address string) (Token, string, error) {
	m, err := made{user, maker, append([]string{}, powers...)}, error(nil)
	if maker == user {
		if m, err = d.behind(ctx, user, by); err != nil {
			return Token{}, "", err
		}
	}
	text, at := secret(tokenPrefix)
	t := Token{User: user, Label: label, Only: only}
	expires := d.clock().Add(lasts)
	t.Expires = &expires
	err = d.pool.QueryRow(ctx, `insert into token (digest, user_id, label, expires_at, maker, cleared, only_for)
		select $1, $2, $3, $4, $5, $6, $9 where $7 > (select count(*) from token where user_id = $2 and (expires_at is null or expires_at > $8)) returning id, created_at`,
		at[:], uint32(user), label, expires, uint32(m.by), m.cleared, MostTokens, d.clock(), only).Scan(&t.ID, &t.Created)
	if errors.Is(err, pgx.ErrNoRows) {
		return t, "", ErrTokens
	}
	if err != nil {
		return t, "", err
	}
	d.keys.change(at, &key{user: user, expires: expires, token: true, only: only, made: m})
	d.tell(ctx, user)
	d.Record(ctx, Event{Event: "token made", Actor: maker, User: user, Address: address})
	return t, text, nil
}

// Tokens are a user's tokens, newest first.
func (d *Authenticator) Tokens(ctx context.Context, user fact.UserID) ([]Token, error) {
	rows, err := d.pool.Query(ctx, "select id, user_id, label, only_for, created_at, expires_at from token where user_id = $1 order by id desc", uint32(user))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (t Token, err error) {
		return t, r.Scan(&t.ID, (*uint32)(&t.User), &t.Label, &t.Only, &t.Created, &t.Expires)
	})
}

// EndToken ends a token of a user, and says whether there was one.
func (d *Authenticator) EndToken(ctx context.Context, user fact.UserID, id int64, address string) (bool, error) {
	var raw []byte
	err := d.pool.QueryRow(ctx, "delete from token where id = $1 and user_id = $2 returning digest", id, uint32(user)).Scan(&raw)
	if errors.Is(err, pgx.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	d.keys.change(digest(raw), nil)
	d.tell(ctx, user)
	d.Record(ctx, Event{Event: "token ended", Actor: user, User: user, Address: address})
	return true, nil
}

// digestOf is what is kept of a secret.
func digestOf(text string) digest { return sha256.Sum256([]byte(text)) }
