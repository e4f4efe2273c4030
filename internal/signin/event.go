package signin

import (
	"context"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Event is a line of the security log: what was done, by whom, to whom and from where.
type Event struct {
	ID      int64
	At      time.Time
	Event   string      // such as "signed in"
	Actor   fact.UserID // who did it; 0 where nobody had shown who they are, or for the host
	User    fact.UserID // whom it is about, or 0
	Address string
}

// Record writes a line of the security log. It must not fail what it tells of.
func (d *Authenticator) Record(ctx context.Context, e Event) {
	if _, err := d.pool.Exec(ctx, "insert into security_event (event, actor, user_id, address) values ($1, nullif($2, 0), nullif($3, 0), $4)",
		e.Event, int32(e.Actor), int32(e.User), e.Address); err != nil {
		d.log.Warn("the security log was not written", "event", e.Event, "error", err)
	}
}

// Events are lines of the security log before one (0 for the newest), newest first;
// user narrows them to one who did something or whom it is about.
func (d *Authenticator) Events(ctx context.Context, user fact.UserID, before int64, limit int) ([]Event, error) {
	rows, err := d.pool.Query(ctx, `select id, at, event, coalesce(actor, 0), coalesce(user_id, 0), address from security_event
		where ($1 = 0 or user_id = $1 or actor = $1) and ($2 = 0 or id < $2) order by id desc limit $3`, int32(user), before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (e Event, err error) {
		return e, r.Scan(&e.ID, &e.At, &e.Event, (*uint32)(&e.Actor), (*uint32)(&e.User), &e.Address)
	})
}

// Kept is how long what has ended is kept.
type Kept struct {
	Events time.Duration // of the security log
	Keys   time.Duration // of idempotency, and tokens that ended
}

// devicesKept is how long a browser is known that was not used to sign in.
const devicesKept = 180 * 24 * time.Hour

// Tidy deletes what has ended: sessions, tokens, links, devices not used for long, old
// idempotency keys and old lines of the security log. It may be called at any time,
// by several programs.
func (d *Authenticator) Tidy(ctx context.Context, kept Kept) error {
	now := d.clock()
	for _, x := range []struct {
		sql  string
		than time.Time
	}{
		{"delete from session where expires_at < $1", now},
		{"delete from token where expires_at < $1", now.Add(-kept.Keys)}, // listed as ended for a while
		{"delete from sign_in_link where expires_at < $1", now},
		{"delete from sign_up where expires_at < $1", now},
		{"delete from setup_link where expires_at < $1", now},
		{"delete from provider_flow where ends_at < $1", now},
		{"delete from device where last_at < $1", now.Add(-devicesKept)},
		{"delete from idempotency where created_at < $1", now.Add(-kept.Keys)},
		{"delete from security_event where at < $1", now.Add(-kept.Events)},
	} {
		if _, err := d.pool.Exec(ctx, x.sql, x.than); err != nil {
			return err
		}
	}
	d.keys.Lock()
	defer d.keys.Unlock()
	for at, k := range d.keys.all {
		if !k.expires.IsZero() && !now.Before(k.expires) {
			delete(d.keys.all, at)
		}
	}
	return nil
}
