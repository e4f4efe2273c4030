package signin

import (
	"context"
	"errors"
	"slices"
	"time"

	"ableroster/internal/caught"
	"ableroster/internal/fact"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5"
)

// made is who could know a password or a token besides its user: whoever made the
// link by which it was set, or made the token for a machine account; by is 0 for
// nobody. It is good as long as its user has no powers but those it was cleared for
// and those that its maker holds too: or the maker could use them as the user.
type made struct {
	user, by fact.UserID
	cleared  []string // texts of powers
}

// Standing tells what users hold in Able Roster, for judging whether a password or a
// token is still good.
type Powers interface {
	// Revision is that of the facts it judges by.
	Revision() int64
	// Powers are the texts of what a user may do to others, now or later, and those
	// of them that somebody else does not hold.
	Powers(user, other fact.UserID) (all, lacking []string)
}

// judgements are kept for as long as the facts are the same.
type judgements struct {
	lock
	known *lru.Cache[judgementKey, judgement]
}

type judgementKey struct{ user, by fact.UserID }

type judgement struct {
	revision     int64
	at           time.Time
	all, lacking []string
}

// mostVerdicts bounds how many are kept, and verdictLasts for how long: what a maker
// holds may end by the clock.
const (
	mostJudgements = 10_000
	judgementLasts = time.Minute
)

// stands says whether what somebody else could know is still good.
func (d *Authenticator) stands(m made) bool {
	if m.by == 0 || m.by == m.user || d.Powers == nil {
		return true
	}
	v := d.judgement(judgementKey{m.user, m.by})
	for _, p := range v.lacking {
		if !slices.Contains(m.cleared, p) {
			return false
		}
	}
	if slices.ContainsFunc(v.all, func(p string) bool { return !slices.Contains(m.cleared, p) }) {
		d.clear(m, v.all) // the maker holds what is new: it stays so when they leave
	}
	return true
}

func (d *Authenticator) judgement(k judgementKey) judgement {
	d.judgements.Lock()
	if d.judgements.known == nil {
		d.judgements.known, _ = lru.New[judgementKey, judgement](mostJudgements)
	}
	cache := d.judgements.known
	d.judgements.Unlock()
	now, at := d.Powers.Revision(), d.clock()
	if v, ok := cache.Get(k); ok && v.revision == now && at.Sub(v.at) < judgementLasts {
		return v
	}
	v := judgement{revision: now, at: at}
	v.all, v.lacking = d.Powers.Powers(k.user, k.by)
	cache.Add(k, v)
	return v
}

// Forget forgets what was judged of makers, so that it is judged anew.
func (d *Authenticator) Forget() {
	d.judgements.Lock()
	defer d.judgements.Unlock()
	if d.judgements.known != nil {
		d.judgements.known.Purge()
	}
}

// clear keeps that a user's powers are ones their maker held.
func (d *Authenticator) clear(m made, powers []string) {
	d.later("the powers a password was cleared for were not written", func(ctx context.Context) error {
		for _, sql := range []string{"update credential set cleared = $3 where user_id = $1 and maker = $2", "update token set cleared = $3 where user_id = $1 and maker = $2", "update provider_link set cleared = $3 where user_id = $1 and maker = $2", "update passkey set cleared = $3 where user_id = $1 and maker = $2"} {
			if _, err := d.pool.Exec(ctx, sql, uint32(m.user), uint32(m.by), powers); err != nil {
				return err
			}
		}
		return d.loadOf(ctx, m.user)
	})
}

// voidKey ends a key that somebody with fewer rights could know, for good.
func (d *Authenticator) voidKey(at digest, k *key) {
	d.keys.change(at, nil)
	d.later("a void key was not ended", func(ctx context.Context) error {
		if k.link != 0 {
			d.voidLink(ctx, k.link, k.user)
			return nil
		}
		if k.passkey != 0 {
			return d.voidPasskey(ctx, k.made, k.passkey)
		}
		if !k.token {
			d.voidCredential(ctx, k.made)
			return nil
		}
		if _, err := d.pool.Exec(ctx, "delete from token where digest = $1", at[:]); err != nil {
			return err
		}
		d.Record(ctx, Event{Event: "token void", User: k.user, Actor: k.made.by})
		d.tell(ctx, k.user)
		return nil
	})
}

// voidCredential ends the password of a user with the sessions it opened, the tokens it made,
// and the passkeys and second factor that were added by it, for good.
func (d *Authenticator) voidCredential(ctx context.Context, m made) {
	user := m.user
	err := pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from credential where user_id = $1", uint32(user)); err != nil {
			return err
		}
		if err := endFactorsBy(ctx, tx, m); err != nil {
			return err
		}
		return endKeys(ctx, tx, user)
	})
	if err != nil {
		d.log.Warn("a void password was not ended", "error", err)
		return
	}
	d.keys.endOf(user, digest{})
	d.Record(ctx, Event{Event: "password void", User: user})
	d.tell(ctx, user)
}

// voidPasskey ends a passkey that somebody with fewer rights could have added, with the sessions
// it opened and whatever else they could have added, for good.
func (d *Authenticator) voidPasskey(ctx context.Context, m made, id int64) error {
	err := pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from session where user_id = $1 and passkey = $2", uint32(m.user), id); err != nil {
			return err
		}
		return endFactorsBy(ctx, tx, m)
	})
	if err != nil {
		return err
	}
	d.Record(ctx, Event{Event: "passkey void", User: m.user})
	d.tell(ctx, m.user)
	return d.loadOf(ctx, m.user)
}

// endFactorsBy ends the passkeys and the second factor that somebody could have added as a user,
// and the recovery codes, which they could have made.
func endFactorsBy(ctx context.Context, tx pgx.Tx, m made) error {
	for _, sql := range []string{
		"delete from passkey where user_id = $1 and maker = $2",
		"delete from second_factor where user_id = $1 and (maker = $2 or secret = '' and not exists (select from passkey where user_id = $1))",
		"insert into second_factor (user_id, secret, confirmed_at) select distinct user_id, ''::bytea, clock_timestamp() from passkey where user_id = $1 and maker <> $2 on conflict do nothing",
		"delete from recovery_code where user_id = $1 and $2 <> 0",
	} {
		if _, err := tx.Exec(ctx, sql, uint32(m.user), uint32(m.by)); err != nil {
			return err
		}
	}
	return nil
}

// later does something beside the call that found it due.
func (d *Authenticator) later(failed string, f func(context.Context) error) {
	d.uses.writing.Go(func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if err := caught.Do(func() error { return f(ctx) }); err != nil {
			d.log.Warn(failed, "error", err)
		}
	})
}

// credential is a user's password as it is kept; without a hash there is none.
type credential struct {
	hash string
	made made
}

func (d *Authenticator) credential(ctx context.Context, user fact.UserID) (credential, error) {
	c := credential{made: made{user: user}}
	err := d.pool.QueryRow(ctx, "select hash, maker, cleared from credential where user_id = $1", uint32(user)).Scan(&c.hash, (*uint32)(&c.made.by), &c.made.cleared)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return c, err
}
