package signin

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// OpenSession is a session of a user as it is listed.
type OpenSession struct {
	ID      int64
	Device  string // as it called itself
	Address string // from where it was opened
	Opened  time.Time
	Used    time.Time // last, to the minute
	Expires time.Time
	Here    bool // it is the one that asks
}

// Sessions are a user's sessions that have not ended, the newest first; cookie is that of the
// one that asks.
func (d *Authenticator) Sessions(ctx context.Context, user fact.UserID, cookie string) ([]OpenSession, error) {
	at := digestOf(cookie)
	since := time.Time{}
	if d.Idle > 0 {
		since = d.clock().Add(-d.Idle)
	}
	rows, err := d.pool.Query(ctx, "select id, device, address, created_at, used_at, expires_at, digest = $2 from session where user_id = $1 and expires_at > $3 and used_at >= $4 order by id desc", uint32(user), at[:], d.clock(), since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (s OpenSession, err error) {
		return s, r.Scan(&s.ID, &s.Device, &s.Address, &s.Opened, &s.Used, &s.Expires, &s.Here)
	})
}

// EndSession ends a session of a user, and says whether there was one.
func (d *Authenticator) EndSession(ctx context.Context, user, by fact.UserID, id int64, address string) (bool, error) {
	var raw []byte
	err := d.pool.QueryRow(ctx, "delete from session where id = $1 and user_id = $2 returning digest", id, uint32(user)).Scan(&raw)
	if errors.Is(err, pgx.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	d.keys.change(digest(raw), nil)
	d.tell(ctx, user)
	d.Record(ctx, Event{Event: "session ended", Actor: by, User: user, Address: address})
	return true, nil
}

// Administers says whether a user has powers over others in Able Roster, as of now or later.
func (d *Authenticator) Administers(user fact.UserID) bool {
	return d.Powers != nil && len(d.judgement(judgementKey{user: user}).all) > 0
}
