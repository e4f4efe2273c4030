package signin

import (
	"context"
	"crypto/sha256"
	"time"
)

// LinkLasts is how long a set-up link is good for.
const LinkLasts = time.Hour

// NewSetUpLink makes the one-time code with which the first administrator is
// named; earlier codes are void. Only its digest is kept.
func (d *Door) NewSetUpLink(ctx context.Context) (string, error) {
	text, digest := secret("")
	if _, err := d.pool.Exec(ctx, "delete from setup_link"); err != nil {
		return "", err
	}
	_, err := d.pool.Exec(ctx, "insert into setup_link (digest, expires_at) values ($1, $2)", digest[:], d.clock().Add(LinkLasts))
	return text, err
}

// CheckSetUpLink says whether a code may be used now.
func (d *Door) CheckSetUpLink(ctx context.Context, code string) error {
	digest := sha256.Sum256([]byte(code))
	var n int
	err := d.pool.QueryRow(ctx, "select count(*) from setup_link where digest = $1 and expires_at > $2", digest[:], d.clock()).Scan(&n)
	if err == nil && n == 0 {
		err = ErrLink
	}
	return err
}

// EndSetUpLinks voids every code.
func (d *Door) EndSetUpLinks(ctx context.Context) error {
	_, err := d.pool.Exec(ctx, "delete from setup_link")
	return err
}
