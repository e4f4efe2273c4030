package signin

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"strings"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
)

// Errors of second factors.
var (
	ErrSecond     = errors.New("a code is needed beside the password: that of your authenticator app, or a recovery code")
	ErrCode       = errors.New("the code is not right, or was used already")
	ErrHasFactor  = errors.New("there is a second factor already: remove it first")
	ErrNoFactor   = errors.New("there is no second factor")
	ErrSameHelper = errors.New("another administrator must confirm it, within a day")
)

// step is how long a one-time code is good for (RFC 6238, section 5.2); one before and one
// after are taken too, since clocks differ.
const step = 30 * time.Second

// recoveryCodes is how many are made at a time.
const recoveryCodes = 10

var codes = totp.ValidateOpts{Period: uint(step / time.Second), Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

// HasSecond says whether somebody has shown a second factor to work.
func (d *Authenticator) HasSecond(ctx context.Context, user fact.UserID) (has bool, err error) {
	err = d.pool.QueryRow(ctx, "select exists (select from second_factor where user_id = $1 and confirmed_at is not null)", uint32(user)).Scan(&has)
	return has, err
}

// BeginSecond makes a secret for one-time codes of a user, and the address (otpauth) that
// authenticator apps read. It counts for nothing until ConfirmSecond.
func (d *Authenticator) BeginSecond(ctx context.Context, user fact.UserID, issuer, account string) (secret, address string, err error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: account, Period: codes.Period, Digits: codes.Digits, Algorithm: codes.Algorithm, SecretSize: 20, Rand: rand.Reader})
	if err != nil {
		return "", "", err
	}
	tag, err := d.pool.Exec(ctx, `insert into second_factor (user_id, secret) values ($1, $2)
		on conflict (user_id) do update set secret = excluded.secret, made_at = clock_timestamp(), last_step = 0 where second_factor.confirmed_at is null`, uint32(user), d.Secrets.Seal(placeOf(user), []byte(key.Secret())))
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrHasFactor
	}
	return key.Secret(), key.URL(), err
}

// ConfirmSecond takes the first code of a new secret, from a session or token: from then on it is asked for. It is the
// recovery codes, which are told now and never again.
func (d *Authenticator) ConfirmSecond(ctx context.Context, user fact.UserID, by Means, code, address string) ([]string, error) {
	if !d.Throttle.Begin(d.clock(), secondTry(user, address)) {
		return nil, ErrPaused
	}
	at, err := d.stepOf(ctx, user, code, "confirmed_at is null")
	if err != nil {
		return nil, err
	}
	m, err := d.behind(ctx, user, by)
	if err != nil {
		return nil, err
	}
	var out []string
	err = pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "update second_factor set confirmed_at = clock_timestamp(), last_step = $2, maker = $3 where user_id = $1 and confirmed_at is null", uint32(user), at, uint32(m.by))
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return ErrHasFactor
		}
		out, err = newRecoveryCodes(ctx, tx, user)
		return err
	})
	if err != nil {
		return nil, err
	}
	d.Throttle.Succeeded(secondTry(user, address))
	d.Record(ctx, Event{Event: "second factor added", Actor: user, User: user, Address: address})
	d.tell(ctx, user)
	return out, d.loadOf(ctx, user)
}

func newRecoveryCodes(ctx context.Context, tx pgx.Tx, user fact.UserID) ([]string, error) {
	if _, err := tx.Exec(ctx, "delete from recovery_code where user_id = $1", uint32(user)); err != nil {
		return nil, err
	}
	var out []string
	for range recoveryCodes {
		raw := make([]byte, 10)
		rand.Read(raw)
		text := strings.ToLower(base32.StdEncoding.EncodeToString(raw))
		text = text[:4] + "-" + text[4:8] + "-" + text[8:12] + "-" + text[12:]
		at := digestOf(text)
		if _, err := tx.Exec(ctx, "insert into recovery_code (digest, user_id) values ($1, $2)", at[:], uint32(user)); err != nil {
			return nil, err
		}
		out = append(out, text)
	}
	return out, nil
}

// stepOf is the time step of a code of a user's secret, where it is one; of those that fulfil
// a condition.
func (d *Authenticator) stepOf(ctx context.Context, user fact.UserID, code, condition string) (int64, error) {
	var secret []byte
	err := d.pool.QueryRow(ctx, "select secret from second_factor where user_id = $1 and "+condition, uint32(user)).Scan(&secret)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, ErrNoFactor
	}
	if err != nil {
		return 0, err
	}
	if len(secret) == 0 { // passkeys alone: no code is one of theirs
		return 0, ErrCode
	}
	secret, err = d.Secrets.Open(placeOf(user), secret)
	if err != nil {
		return 0, fmt.Errorf("the secret of the codes of %v: %w", user, err)
	}
	now := d.clock()
	for _, off := range []time.Duration{0, -step, step} {
		at := now.Add(off)
		if ok, err := totp.ValidateCustom(code, string(secret), at, codes); err == nil && ok {
			return at.Unix() / int64(step/time.Second), nil
		}
	}
	return 0, ErrCode
}

// secondTry is under what tries of codes are counted.
func secondTry(user fact.UserID, address string) Try {
	return Try{Account: "code of " + user.String(), Address: address}
}

// ProveSecond takes a one-time code, or a recovery code, each once. Where somebody has no
// second factor nothing is asked.
func (d *Authenticator) ProveSecond(ctx context.Context, user fact.UserID, code, address string) error {
	has, err := d.HasSecond(ctx, user)
	if err != nil || !has {
		return err
	}
	code = strings.ToLower(strings.Join(strings.Fields(code), ""))
	if code == "" {
		return d.wants(ctx, user)
	}
	try := secondTry(user, address)
	if !d.Throttle.Begin(d.clock(), try) {
		return ErrPaused
	}
	err = d.takeCode(ctx, user, code)
	switch {
	case err == nil:
		d.Throttle.Succeeded(try)
	case errors.Is(err, ErrCode):
		d.Record(ctx, Event{Event: "code refused", User: user, Address: address})
	default:
		d.Throttle.Undo(try)
	}
	return err
}

// UsesApp says whether a user's second factor is an authenticator app; else it is passkeys.
func (d *Authenticator) UsesApp(ctx context.Context, user fact.UserID) (uses bool, err error) {
	err = d.pool.QueryRow(ctx, "select exists (select from second_factor where user_id = $1 and confirmed_at is not null and secret <> '')", uint32(user)).Scan(&uses)
	return uses, err
}

// wants says what is asked for beside a password.
func (d *Authenticator) wants(ctx context.Context, user fact.UserID) error {
	var alone bool
	if err := d.pool.QueryRow(ctx, "select secret = '' from second_factor where user_id = $1", uint32(user)).Scan(&alone); err != nil && !errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	if alone {
		return ErrUsesPasskey
	}
	return ErrSecond
}

func (d *Authenticator) takeCode(ctx context.Context, user fact.UserID, code string) error {
	if len(code) != codes.Digits.Length() {
		at := digestOf(code)
		tag, err := d.pool.Exec(ctx, "update recovery_code set used_at = clock_timestamp() where digest = $1 and user_id = $2 and used_at is null", at[:], uint32(user))
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return ErrCode
		}
		d.Record(ctx, Event{Event: "recovery code used", Actor: user, User: user})
		return nil
	}
	at, err := d.stepOf(ctx, user, code, "confirmed_at is not null")
	if err != nil {
		return err
	}
	tag, err := d.pool.Exec(ctx, "update second_factor set last_step = $2 where user_id = $1 and last_step < $2", uint32(user), at)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrCode // it was used already (RFC 6238, section 5.2)
	}
	return err
}

// RecoveryLeft is how many recovery codes of a user are not used.
func (d *Authenticator) RecoveryLeft(ctx context.Context, user fact.UserID) (n int, err error) {
	err = d.pool.QueryRow(ctx, "select count(*) from recovery_code where user_id = $1 and used_at is null", uint32(user)).Scan(&n)
	return n, err
}

// NewRecoveryCodes makes recovery codes in the place of those there are.
func (d *Authenticator) NewRecoveryCodes(ctx context.Context, user fact.UserID, address string) (out []string, err error) {
	if has, err := d.HasSecond(ctx, user); err != nil || !has {
		return nil, cmpErr(err, ErrNoFactor)
	}
	err = pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		out, err = newRecoveryCodes(ctx, tx, user)
		return err
	})
	if err == nil {
		d.Record(ctx, Event{Event: "recovery codes made", Actor: user, User: user, Address: address})
	}
	return out, err
}

func cmpErr(err, or error) error {
	if err != nil {
		return err
	}
	return or
}

// RemoveSecond ends a user's second factor: by themselves, who have proved it just now.
func (d *Authenticator) RemoveSecond(ctx context.Context, user fact.UserID, address string) error {
	return d.removeSecond(ctx, user, user, address)
}

func (d *Authenticator) removeSecond(ctx context.Context, user, by fact.UserID, address string) error {
	err := pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "delete from second_factor where user_id = $1", uint32(user))
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNoFactor
		}
		if err == nil {
			_, err = tx.Exec(ctx, "delete from recovery_code where user_id = $1", uint32(user))
		}
		if err == nil {
			_, err = tx.Exec(ctx, "delete from passkey where user_id = $1", uint32(user))
		}
		return err
	})
	if err != nil {
		return err
	}
	d.Record(ctx, Event{Event: "second factor removed", Actor: by, User: user, Address: address})
	d.tell(ctx, user)
	return d.loadOf(ctx, user)
}

// helpLasts is how long the word of the first of two administrators is good for.
const helpLasts = 24 * time.Hour

// HelpSecond removes the second factor of somebody who lost it: the first administrator's word
// is kept and answered with ErrSameHelper, another one's within a day removes it.
func (d *Authenticator) HelpSecond(ctx context.Context, user, by fact.UserID, address string) error {
	var first fact.UserID
	var at *time.Time
	err := d.pool.QueryRow(ctx, `update second_factor f set help_by = case when f.help_by = 0 or f.help_at < $3 then $2 else f.help_by end,
			help_at = case when f.help_by = 0 or f.help_at < $3 then $4 else f.help_at end
		from (select help_by, help_at from second_factor where user_id = $1 for update) old where user_id = $1 and confirmed_at is not null
		returning old.help_by, old.help_at`, uint32(user), uint32(by), d.clock().Add(-helpLasts), d.clock()).Scan((*uint32)(&first), &at)
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNoFactor
	}
	if err != nil {
		return err
	}
	if first == 0 || first == by || at == nil || at.Before(d.clock().Add(-helpLasts)) {
		d.Record(ctx, Event{Event: "removal of a second factor asked for", Actor: by, User: user, Address: address})
		return ErrSameHelper
	}
	return d.removeSecond(ctx, user, by, address)
}
