package signin

import (
	"context"
	"errors"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
)

// IdleLasts is how long a session is good for without being used, where nothing else is set.
const IdleLasts = time.Hour

// useTold is how often the database hears that a session is used, and idleAnswers how long it
// may take to say whether another service saw it used.
const (
	useTold     = time.Minute
	idleAnswers = 2 * time.Second
)

// sessionUse is when a session was used last, and when the database heard of it.
type sessionUse struct{ last, told atomic.Int64 }

func usedAt(at time.Time) *sessionUse {
	u := new(sessionUse)
	u.last.Store(at.UnixNano())
	u.told.Store(at.UnixNano())
	return u
}

// follow takes over what was known of a session before it was read again.
func (u *sessionUse) follow(before *sessionUse) {
	if u != nil && before != nil {
		u.last.Store(max(u.last.Load(), before.last.Load()))
	}
}

// active says whether a session was used within the time it may be idle, here or by way of
// another service, and notes that it is used now. One that was not is ended.
func (d *Authenticator) active(at digest, k *key) bool {
	now := d.clock()
	if idle := now.Sub(time.Unix(0, k.use.last.Load())); d.Idle > 0 && idle > d.Idle && !d.usedElsewhere(at, k) {
		return false
	}
	k.use.last.Store(now.UnixNano())
	if told := k.use.told.Load(); now.Sub(time.Unix(0, told)) >= useTold && k.use.told.CompareAndSwap(told, now.UnixNano()) {
		d.later("the use of a session was not written", func(ctx context.Context) error {
			_, err := d.pool.Exec(ctx, "update session set used_at = greatest(used_at, $2) where digest = $1", at[:], now)
			return err
		})
	}
	return true
}

// usedElsewhere asks the database whether a session that was not used here was used by way of
// another service; where it was not, it ends.
func (d *Authenticator) usedElsewhere(at digest, k *key) bool {
	ctx, cancel := context.WithTimeout(context.Background(), idleAnswers)
	defer cancel()
	var last time.Time
	err := d.pool.QueryRow(ctx, "select used_at from session where digest = $1", at[:]).Scan(&last)
	if err == nil && d.clock().Sub(last) <= d.Idle {
		return true
	}
	if err != nil && !errors.Is(err, pgx.ErrNoRows) {
		return false // whether it was used is not known: it may be tried again
	}
	d.keys.change(at, nil)
	d.later("an idle session was not ended", func(ctx context.Context) error {
		_, err := d.pool.Exec(ctx, "delete from session where digest = $1 and used_at = $2", at[:], last)
		d.tell(ctx, k.user)
		return err
	})
	return false
}
