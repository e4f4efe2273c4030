package signin

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/jackc/pgx/v5"
)

// Errors of passkeys.
var (
	ErrPasskey      = errors.New("the passkey was not taken: it is not known here, or what was asked is over. Try again")
	ErrVoidPasskey  = errors.New("this passkey is void: somebody who may have added it has fewer rights than you have now. Ask an administrator for a new sign-in link")
	ErrUsesPasskey  = errors.New("sign in with your passkey, or give a recovery code beside the password")
	ErrManyPasskeys = errors.New("there are ten passkeys already: remove one first")
)

// mostPasskeys bounds how many somebody has.
const mostPasskeys = 10

// ceremonyLasts is how long a browser has to answer what it was asked.
const ceremonyLasts = 5 * time.Minute

// Place is where a browser is: the host that passkeys are for, and its origin (WebAuthn,
// section 5.1.3).
type Place struct{ Host, Origin string }

// Passkey is one of somebody's, as it is told.
type Passkey struct {
	ID    int64
	Label string
	Made  time.Time
	Used  *time.Time
}

// keyHolder is a user as the library asks for them.
type keyHolder struct {
	id          fact.UserID
	name, label string
	credentials []webauthn.Credential
}

func (h *keyHolder) WebAuthnID() []byte                         { return []byte(h.id.String()) }
func (h *keyHolder) WebAuthnName() string                       { return h.name }
func (h *keyHolder) WebAuthnDisplayName() string                { return h.label }
func (h *keyHolder) WebAuthnCredentials() []webauthn.Credential { return h.credentials }

func partyOf(p Place, organisation string) (*webauthn.WebAuthn, error) {
	return webauthn.New(&webauthn.Config{RPID: p.Host, RPDisplayName: organisation, RPOrigins: []string{p.Origin}})
}

// passkeysOf are the credentials of a user for a host.
func (d *Authenticator) passkeysOf(ctx context.Context, user fact.UserID, host string) ([]webauthn.Credential, error) {
	rows, err := d.pool.Query(ctx, "select body from passkey where user_id = $1 and host = $2 order by id", uint32(user), host)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (c webauthn.Credential, err error) {
		var raw []byte
		if err = row.Scan(&raw); err == nil {
			err = json.Unmarshal(raw, &c)
		}
		return c, err
	})
}

// begin keeps what a browser is asked, under a text that its answer comes with. Those that are
// over go, and of sign-ins the oldest beyond 20,000: anybody may begin one.
func (d *Authenticator) begin(ctx context.Context, user fact.UserID, asked *webauthn.SessionData) (string, error) {
	raw, err := json.Marshal(asked)
	if err != nil {
		return "", err
	}
	text, at := secret("")
	_, err = d.pool.Exec(ctx, `with gone as (delete from passkey_ceremony where digest in (select digest from passkey_ceremony
			where ends_at < $1 or user_id = 0 and ends_at < (select ends_at from passkey_ceremony where user_id = 0 order by ends_at desc offset 20000 limit 1) limit 100))
		insert into passkey_ceremony (digest, user_id, body, ends_at) values ($2, $3, $4, $5)`, d.clock(), at[:], uint32(user), string(raw), d.clock().Add(ceremonyLasts))
	return text, err
}

// answered takes what was asked, once.
func (d *Authenticator) answered(ctx context.Context, user fact.UserID, text string) (asked webauthn.SessionData, err error) {
	at := digestOf(text)
	var raw []byte
	err = d.pool.QueryRow(ctx, "delete from passkey_ceremony where digest = $1 and user_id = $2 and ends_at > $3 returning body", at[:], uint32(user), d.clock()).Scan(&raw)
	if errors.Is(err, pgx.ErrNoRows) {
		return asked, ErrPasskey
	}
	if err == nil {
		err = json.Unmarshal(raw, &asked)
	}
	return asked, err
}

// BeginPasskey is what a browser is asked to make a passkey for a user, and the text that its
// answer comes with.
func (d *Authenticator) BeginPasskey(ctx context.Context, p Place, organisation string, user fact.UserID, name, label string) (options any, ceremony string, err error) {
	party, err := partyOf(p, organisation)
	if err != nil {
		return nil, "", err
	}
	h := &keyHolder{id: user, name: name, label: label}
	if h.credentials, err = d.passkeysOf(ctx, user, p.Host); err != nil {
		return nil, "", err
	}
	if len(h.credentials) >= mostPasskeys {
		return nil, "", ErrManyPasskeys
	}
	var known []protocol.CredentialDescriptor
	for _, c := range h.credentials {
		known = append(known, c.Descriptor())
	}
	made, asked, err := party.BeginRegistration(h, webauthn.WithExclusions(known), webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
		ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired}))
	if err != nil {
		return nil, "", err
	}
	ceremony, err = d.begin(ctx, user, asked)
	return made.Response, ceremony, err
}

// AddPasskey takes a browser's answer, in a session: the passkey signs the user in from then on, and stands
// for the second factor too. With the first one come recovery codes, unless there are some.
func (d *Authenticator) AddPasskey(ctx context.Context, p Place, user fact.UserID, by Means, label, ceremony string, response []byte, address string) (recovery []string, err error) {
	asked, err := d.answered(ctx, user, ceremony)
	if err != nil {
		return nil, err
	}
	party, err := partyOf(p, "")
	if err != nil {
		return nil, ErrPasskey
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(response)
	if err != nil {
		return nil, ErrPasskey
	}
	made, err := party.CreateCredential(&keyHolder{id: user}, asked, parsed)
	if err != nil {
		return nil, ErrPasskey
	}
	raw, err := json.Marshal(made)
	if err != nil {
		return nil, err
	}
	m, err := d.behind(ctx, user, by)
	if err != nil {
		return nil, err
	}
	err = pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "insert into passkey (user_id, credential_id, host, body, label, maker, cleared) values ($1, $2, $3, $4, $5, $6, $7) on conflict (credential_id) do nothing", uint32(user), made.ID, p.Host, string(raw), label, uint32(m.by), m.cleared)
		if err != nil || tag.RowsAffected() == 0 {
			return cmpErr(err, ErrPasskey)
		}
		// A second factor without a secret is one of passkeys alone.
		if _, err = tx.Exec(ctx, `insert into second_factor (user_id, secret, confirmed_at, maker) values ($1, '', clock_timestamp(), $2)
			on conflict (user_id) do update set secret = '', confirmed_at = clock_timestamp(), maker = excluded.maker where second_factor.confirmed_at is null`, uint32(user), uint32(m.by)); err != nil {
			return err
		}
		var left int
		if err := tx.QueryRow(ctx, "select count(*) from recovery_code where user_id = $1 and used_at is null", uint32(user)).Scan(&left); err != nil || left > 0 {
			return err
		}
		recovery, err = newRecoveryCodes(ctx, tx, user)
		return err
	})
	if err != nil {
		return nil, err
	}
	d.Record(ctx, Event{Event: "passkey added", Actor: user, User: user, Address: address})
	d.tell(ctx, user)
	return recovery, d.loadOf(ctx, user)
}

// Passkeys are a user's, the oldest first.
func (d *Authenticator) Passkeys(ctx context.Context, user fact.UserID) ([]Passkey, error) {
	rows, err := d.pool.Query(ctx, "select id, label, made_at, used_at from passkey where user_id = $1 order by id", uint32(user))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Passkey])
}

// RemovePasskey removes one of a user's; with the last one goes a second factor that has
// nothing else. It says whether there was one.
func (d *Authenticator) RemovePasskey(ctx context.Context, user fact.UserID, id int64, address string) (found bool, err error) {
	err = pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "delete from passkey where id = $1 and user_id = $2", id, uint32(user))
		if found = err == nil && tag.RowsAffected() > 0; !found {
			return err
		}
		tag, err = tx.Exec(ctx, "delete from second_factor where user_id = $1 and secret = '' and not exists (select from passkey where user_id = $1)", uint32(user))
		if err == nil && tag.RowsAffected() > 0 {
			_, err = tx.Exec(ctx, "delete from recovery_code where user_id = $1", uint32(user))
		}
		return err
	})
	if err != nil || !found {
		return found, err
	}
	d.Record(ctx, Event{Event: "passkey removed", Actor: user, User: user, Address: address})
	d.tell(ctx, user)
	return true, d.loadOf(ctx, user)
}

// BeginPasskeySignIn is what a browser is asked to sign somebody in, whoever they are.
func (d *Authenticator) BeginPasskeySignIn(ctx context.Context, p Place) (options any, ceremony string, err error) {
	party, err := partyOf(p, "")
	if err != nil {
		return nil, "", err
	}
	wanted, asked, err := party.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return nil, "", err
	}
	ceremony, err = d.begin(ctx, 0, asked)
	return wanted.Response, ceremony, err
}

// PasskeySignIn takes a browser's answer, and opens a session on a device for whom it signs in:
// who have shown both a key and that they are there. may says who may sign in now. It is the
// user, the session's text and its end; ErrPasskey for an answer that is not taken, and
// ErrVoidPasskey for a passkey that somebody with fewer rights could have added, which ends.
func (d *Authenticator) PasskeySignIn(ctx context.Context, p Place, ceremony string, response []byte, device, address string, may func(fact.UserID) bool) (fact.UserID, string, time.Time, error) {
	user, by, err := d.shown(ctx, p, ceremony, response, address, may)
	if err != nil {
		return 0, "", time.Time{}, err
	}
	text, expires, err := d.newSession(ctx, user, by, device, address)
	if err != nil {
		return 0, "", time.Time{}, err
	}
	d.Record(ctx, Event{Event: "signed in", Actor: user, User: user, Address: address})
	return user, text, expires, nil
}

// shown is whose passkey an answer shows, and which.
func (d *Authenticator) shown(ctx context.Context, p Place, ceremony string, response []byte, address string, may func(fact.UserID) bool) (user fact.UserID, by opened, err error) {
	asked, err := d.answered(ctx, 0, ceremony)
	if err != nil {
		return 0, by, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(response)
	if err != nil {
		return 0, by, ErrPasskey
	}
	party, err := partyOf(p, "")
	if err != nil {
		return 0, by, ErrPasskey
	}
	var lost error // what the database said, if anything
	holder := func(_, handle []byte) (webauthn.User, error) {
		n, ok := fact.ParseID("user", string(handle))
		if !ok {
			return nil, ErrPasskey
		}
		h := &keyHolder{id: fact.UserID(n)}
		h.credentials, lost = d.passkeysOf(ctx, h.id, p.Host)
		return h, lost
	}
	found, used, err := party.ValidatePasskeyLogin(holder, asked, parsed)
	if lost != nil {
		return 0, by, lost
	}
	if err != nil {
		d.Record(ctx, Event{Event: "passkey refused", Address: address})
		return 0, by, ErrPasskey
	}
	user = found.(*keyHolder).id
	if used.Authenticator.CloneWarning || !may(user) {
		d.Record(ctx, Event{Event: "passkey refused", User: user, Address: address})
		return 0, by, ErrPasskey
	}
	raw, err := json.Marshal(used)
	if err != nil {
		return 0, by, err
	}
	by.made.user = user
	err = d.pool.QueryRow(ctx, "update passkey set body = $3, used_at = clock_timestamp() where credential_id = $1 and user_id = $2 returning id, maker, cleared", used.ID, uint32(user), string(raw)).
		Scan(&by.passkey, (*uint32)(&by.by), &by.cleared)
	switch {
	case errors.Is(err, pgx.ErrNoRows): // removed meanwhile
		return 0, by, ErrPasskey
	case err != nil:
		return 0, by, err
	case !d.stands(by.made):
		if err := d.voidPasskey(ctx, by.made, by.passkey); err != nil {
			return 0, by, err
		}
		return 0, by, ErrVoidPasskey
	}
	return user, by, nil
}
