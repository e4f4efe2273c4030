package signin

import (
	"context"
	"time"
)

// SetUpLasts is how long a set-up link is good for.
const SetUpLasts = time.Hour

// NewSetUpLink makes the one-time code with which the first administrator is
// named; earlier codes are void. Only its digest is kept.
func (d *Authenticator) NewSetUpLink(ctx context.Context) (string, error) {
	text, at := secret("")
	if _, err := d.pool.Exec(ctx, "delete from setup_link"); err != nil {
		return "", err
	}
	_, err := d.pool.Exec(ctx, "insert into setup_link (digest, expires_at) values ($1, $2)", at[:], d.clock().Add(SetUpLasts))
	return text, err
}

// CheckSetUpLink says whether a code may be used now.
func (d *Authenticator) CheckSetUpLink(ctx context.Context, code string) error {
	at := digestOf(code)
	var n int
	err := d.pool.QueryRow(ctx, "select count(*) from setup_link where digest = $1 and expires_at > $2", at[:], d.clock()).Scan(&n)
	if err == nil && n == 0 {
		err = ErrLink
	}
	return err
}

// EndSetUpLinks voids every code.
func (d *Authenticator) EndSetUpLinks(ctx context.Context) error {
	_, err := d.pool.Exec(ctx, "delete from setup_link")
	return err
}
