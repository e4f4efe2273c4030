package signin

import (
	"context"
	"time"

	"ableroster/internal/fact"
)

// ConfirmLasts is how long whoever proved who they are is not asked again.
const ConfirmLasts = 15 * time.Minute

// Means is what a caller is known by: the text of a session's cookie, or of a token.
type Means struct {
	Text  string
	Token bool
}

func (m Means) table() string {
	if m.Token {
		return "token"
	}
	return "session"
}

// Confirmed says whether whoever uses a session or a token proved who they are within
// ConfirmLasts: by signing in, or by Confirm.
func (d *Authenticator) Confirmed(ctx context.Context, m Means) (is bool, err error) {
	at := digestOf(m.Text)
	err = d.pool.QueryRow(ctx, "select exists (select from "+m.table()+" where digest = $1 and confirmed_at between clock_timestamp() - $2::interval and clock_timestamp() + interval '1 minute')", at[:], ConfirmLasts).Scan(&is)
	return is, err
}

// By what somebody confirms that it is them.
const (
	ByCode     = "code"     // of their authenticator app
	ByPassword = "password" // since they have no app
	BySignIn   = "sign_in"  // since they have neither: they sign in by passkeys or an identity provider alone
)

// ConfirmsBy is by what a user confirms that it is them.
func (d *Authenticator) ConfirmsBy(ctx context.Context, user fact.UserID) (by string, err error) {
	err = d.pool.QueryRow(ctx, `select case when exists (select from second_factor where user_id = $1 and confirmed_at is not null and secret <> '') then $2
		when exists (select from credential where user_id = $1) then $3 else $4 end`, uint32(user), ByCode, ByPassword, BySignIn).Scan(&by)
	return by, err
}

// Confirm proves once more who uses a session or a token: by a code of their authenticator app
// where they have one, else by their password. The errors are those of Prove and ProveSecond.
func (d *Authenticator) Confirm(ctx context.Context, w Who, password string, m Means) error {
	app, err := d.UsesApp(ctx, w.User)
	if err != nil {
		return err
	}
	w.Again = true
	if app {
		if err = d.ProveSecond(ctx, w.User, w.Code, w.Address); err == nil {
			d.Record(ctx, Event{Event: "identity confirmed", Actor: w.User, User: w.User, Address: w.Address})
		}
	} else {
		w.Second = false
		err = d.Prove(ctx, w, password)
	}
	if err != nil {
		return err
	}
	return d.confirmed(ctx, w.User, m)
}

// confirmed notes that whoever uses a session or a token has just proved who they are.
func (d *Authenticator) confirmed(ctx context.Context, user fact.UserID, m Means) error {
	at := digestOf(m.Text)
	_, err := d.pool.Exec(ctx, "update "+m.table()+" set confirmed_at = clock_timestamp() where digest = $1 and user_id = $2", at[:], uint32(user))
	return err
}

// ConfirmToken notes that a token was made by somebody who has just proved who they are.
func (d *Authenticator) ConfirmToken(ctx context.Context, user fact.UserID, text string) error {
	return d.confirmed(ctx, user, Means{text, true})
}
