package signin

import (
	"context"
	"crypto/sha256"
	"strings"

	"ableroster/internal/fact"
)

// mostDevices bounds how many browsers of a user are known at a time: the ones used
// last.
const mostDevices = 10

// knownDevice says whether a user has signed in from a device before.
func (d *Authenticator) knownDevice(ctx context.Context, user fact.UserID, device string) (known bool, err error) {
	if user == 0 || device == "" || len(device) > 100 {
		return false, nil
	}
	at := sha256.Sum256([]byte(device))
	err = d.pool.QueryRow(ctx, "select exists (select from device where digest = $1 and user_id = $2)", at[:], uint32(user)).Scan(&known)
	return known, err
}

// NewDevice remembers that a user has signed in from a browser, and is the secret by
// which that tells so next time: what it had shown, where that is known.
func (d *Authenticator) NewDevice(ctx context.Context, user fact.UserID, shown string) (string, error) {
	if known, err := d.knownDevice(ctx, user, shown); err != nil || known {
		return shown, err
	}
	text, at := secret("")
	_, err := d.pool.Exec(ctx, `with old as (delete from device where user_id = $2 and digest not in
			(select digest from device where user_id = $2 order by last_at desc limit $3))
		insert into device (digest, user_id) values ($1, $2)`, at[:], uint32(user), mostDevices-1)
	return text, err
}

// foldName is a name as tries are counted: case makes no other account of it.
func foldName(name string) string { return strings.ToLower(name) }
