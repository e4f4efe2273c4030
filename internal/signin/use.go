package signin

import (
	"context"
	"sync"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/finding"

	"github.com/jackc/pgx/v5"
)

// uses remembers on which day each account was last used, so that the database
// hears of it once a day and not with every question.
type uses struct {
	days    sync.Map // of fact.UserID: the day as a number
	away    sync.Map // of fact.UserID: when to try again, after the database was away
	writing sync.WaitGroup
}

// useAgain is how long nothing is written of an account after that failed.
const useAgain = time.Minute

// used notes that an account was used just now. What is lost when the database
// is away is written with a later use.
func (d *Authenticator) used(user fact.UserID) {
	now := d.clock()
	day := now.Unix() / (24 * 60 * 60)
	if last, ok := d.uses.days.Load(user); ok && last == day {
		return
	}
	if again, ok := d.uses.away.Load(user); ok && now.Before(again.(time.Time)) {
		return
	}
	d.uses.days.Store(user, day)
	d.uses.writing.Go(func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if _, err := d.pool.Exec(ctx, `insert into account_use (user_id, last_at) values ($1, $2)
			on conflict (user_id) do update set last_at = greatest(account_use.last_at, excluded.last_at)`, uint32(user), now); err != nil {
			d.uses.away.Store(user, now.Add(useAgain))
			d.uses.days.Delete(user)
			d.log.Debug("the use of an account was not written", "error", err)
		}
	})
}

// Accounts are when those who can sign in, or hold a token, last did anything,
// or else were given the means to.
func (d *Authenticator) Accounts(ctx context.Context) (finding.Accounts, error) {
	rows, err := d.pool.Query(ctx, `with means as (
			select user_id, changed_at as at from credential
			union all select user_id, created_at from token where expires_at is null or expires_at > clock_timestamp())
		select m.user_id, greatest(max(m.at), max(u.last_at)) from means m left join account_use u using (user_id) group by m.user_id`)
	if err != nil {
		return nil, err
	}
	out := finding.Accounts{}
	var id fact.UserID
	var at time.Time
	_, err = pgx.ForEachRow(rows, []any{(*uint32)(&id), &at}, func() error {
		out[id] = calendar.At(at)
		return nil
	})
	return out, err
}

// Backdate says that an account was given its means to sign in at another time:
// for histories that are loaded.
func (d *Authenticator) Backdate(ctx context.Context, user fact.UserID, at time.Time) error {
	_, err := d.pool.Exec(ctx, "update credential set changed_at = $2 where user_id = $1", uint32(user), at)
	return err
}
