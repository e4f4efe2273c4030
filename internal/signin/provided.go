package signin

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Errors of signing in by way of an identity provider.
var (
	ErrFlow   = errors.New("it took too long, or was done already, or began in another browser: begin again")
	ErrLinked = errors.New("the account there is linked to somebody else here, or another account there to you: remove that link first")
)

// flowLasts is how long somebody has at an identity provider, and mostFlows how many may be there
// at a time: the oldest goes, since anybody may begin one.
const (
	flowLasts = 10 * time.Minute
	mostFlows = 20000
)

// Flow is what is kept of somebody who was sent to an identity provider.
type Flow struct {
	Provider string      // its key
	User     fact.UserID // who links it to themselves; 0: somebody signs in
	Nonce    string      `json:"nonce"`
	Verifier string      `json:"verifier"`
	Redirect string      `json:"redirect"` // where they come back to
	Link     int64       // who they are, proved, while their second factor is to come
	Session  string      // of the provider, then
}

// BeginFlow keeps a flow under its state until somebody comes back with it, in the browser that
// has the text it answers.
func (d *Authenticator) BeginFlow(ctx context.Context, state string, f Flow) (browser string, err error) {
	browser, at := secret("")
	return browser, d.keepFlow(ctx, state, at, f)
}

func (d *Authenticator) keepFlow(ctx context.Context, state string, browser digest, f Flow) error {
	raw, err := json.Marshal(f)
	if err != nil {
		return err
	}
	at := digestOf(state)
	var link *int64
	if f.Link != 0 {
		link = &f.Link
	}
	_, err = d.pool.Exec(ctx, `with gone as (delete from provider_flow where digest in (select digest from provider_flow
			where ends_at < $1 or ends_at < (select ends_at from provider_flow order by ends_at desc offset $9 limit 1) limit 100))
		insert into provider_flow (digest, browser, provider, user_id, body, link, session, ends_at) values ($2, $3, $4, $5, $6, $7, $8, $10)`,
		d.clock(), at[:], browser[:], f.Provider, uint32(f.User), string(raw), link, f.Session, mostFlows, d.clock().Add(flowLasts))
	return err
}

// TakeFlow is the flow of a state, once, in the browser that began it. The error is ErrFlow where
// there is none.
func (d *Authenticator) TakeFlow(ctx context.Context, state, browser string) (f Flow, err error) {
	at, by := digestOf(state), digestOf(browser)
	var raw []byte
	var link *int64
	err = d.pool.QueryRow(ctx, "delete from provider_flow where digest = $1 and browser = $2 and ends_at > $3 returning provider, user_id, body, link, session",
		at[:], by[:], d.clock()).Scan(&f.Provider, (*uint32)(&f.User), &raw, &link, &f.Session)
	if errors.Is(err, pgx.ErrNoRows) {
		return f, ErrFlow
	}
	if err != nil {
		return f, err
	}
	if err := json.Unmarshal(raw, &f); err != nil {
		return f, err
	}
	if link != nil {
		f.Link = *link
	}
	return f, nil
}

// AgainFlow keeps a flow that was taken, once more: a code was not given, or not right.
func (d *Authenticator) AgainFlow(ctx context.Context, state, browser string, f Flow) error {
	return d.keepFlow(ctx, state, digestOf(browser), f)
}

// Linked is whom an account at an identity provider is here.
type Linked struct {
	ID      int64
	Issuer  string
	Subject string
	User    fact.UserID
	Made    time.Time
	Used    time.Time
	made    made
}

const sqlLinked = "select id, issuer, subject, user_id, made_at, used_at, maker, cleared from provider_link "

func linkedOf(r pgx.CollectableRow) (l Linked, err error) {
	err = r.Scan(&l.ID, &l.Issuer, &l.Subject, (*uint32)(&l.User), &l.Made, &l.Used, (*uint32)(&l.made.by), &l.made.cleared)
	l.made.user = l.User
	return l, err
}

// LinkOf is whom an account at an identity provider is here, and whether it is anybody. A link
// whose maker has fewer rights than its user has by now is void, and removed.
func (d *Authenticator) LinkOf(ctx context.Context, issuer, subject string) (Linked, bool, error) {
	return d.oneLink(ctx, "where issuer = $1 and subject = $2", issuer, subject)
}

// LinkByID is one of the links.
func (d *Authenticator) LinkByID(ctx context.Context, id int64) (Linked, bool, error) {
	return d.oneLink(ctx, "where id = $1", id)
}

func (d *Authenticator) oneLink(ctx context.Context, where string, args ...any) (Linked, bool, error) {
	rows, err := d.pool.Query(ctx, sqlLinked+where, args...)
	if err != nil {
		return Linked{}, false, err
	}
	l, err := pgx.CollectExactlyOneRow(rows, linkedOf)
	if errors.Is(err, pgx.ErrNoRows) {
		return l, false, nil
	}
	if err != nil {
		return l, false, err
	}
	if !d.stands(l.made) {
		d.voidLink(ctx, l.ID, l.User)
		return l, false, nil
	}
	return l, true, nil
}

// Links are those of a user, the oldest first.
func (d *Authenticator) Links(ctx context.Context, user fact.UserID) ([]Linked, error) {
	rows, err := d.pool.Query(ctx, sqlLinked+"where user_id = $1 order by id", uint32(user))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, linkedOf)
}

// behind is who else could be behind a session or token of a user, and so behind what is made by
// it: whoever could have opened it; else whoever could be the user at all.
func (d *Authenticator) behind(ctx context.Context, user fact.UserID, by Means) (made, error) {
	d.keys.RLock()
	k, ok := d.keys.all[digestOf(by.Text)]
	d.keys.RUnlock()
	if ok && k.user == user && k.made.by != 0 && k.made.by != user {
		return made{user, k.made.by, append([]string{}, k.made.cleared...)}, nil
	}
	return d.couldBe(ctx, user)
}

// AddOwnLink says that an account at an identity provider is that of a user who is signed in, by a
// session. The error is ErrLinked where one of both has another already.
func (d *Authenticator) AddOwnLink(ctx context.Context, issuer, subject string, user fact.UserID, by Means, address string) (l Linked, err error) {
	m, err := d.behind(ctx, user, by)
	if err != nil {
		return l, err
	}
	return d.addLink(ctx, issuer, subject, m, address)
}

// AddLink says whom an account at an identity provider is here; maker is who wrote what they were
// matched by, or the user, whom the provider knows. The error is ErrLinked where one of both has another already.
func (d *Authenticator) AddLink(ctx context.Context, issuer, subject string, user, maker fact.UserID, address string) (l Linked, err error) {
	m := made{user: user, by: maker, cleared: []string{}}
	if d.Powers != nil && maker != 0 && maker != user {
		all, lacking := d.Powers.Powers(user, maker)
		if len(lacking) > 0 {
			return l, ErrLinked
		}
		m.cleared = append(m.cleared, all...)
	}
	return d.addLink(ctx, issuer, subject, m, address)
}

func (d *Authenticator) addLink(ctx context.Context, issuer, subject string, m made, address string) (l Linked, err error) {
	rows, err := d.pool.Query(ctx, `insert into provider_link (issuer, subject, user_id, maker, cleared) values ($1, $2, $3, $4, $5) on conflict do nothing
		returning id, issuer, subject, user_id, made_at, used_at, maker, cleared`, issuer, subject, uint32(m.user), uint32(m.by), m.cleared)
	if err != nil {
		return l, err
	}
	l, err = pgx.CollectExactlyOneRow(rows, linkedOf)
	if errors.Is(err, pgx.ErrNoRows) {
		return l, ErrLinked
	}
	if err == nil {
		d.Record(ctx, Event{Event: "identity provider linked", Actor: m.user, User: m.user, Address: address})
	}
	return l, err
}

// RemoveLink removes a link of a user with the sessions that it opened, and says whether there
// was one.
func (d *Authenticator) RemoveLink(ctx context.Context, user fact.UserID, id int64, address string) (bool, error) {
	tag, err := d.pool.Exec(ctx, "delete from provider_link where id = $1 and user_id = $2", id, uint32(user))
	if err != nil || tag.RowsAffected() == 0 {
		return false, err
	}
	d.Record(ctx, Event{Event: "identity provider unlinked", Actor: user, User: user, Address: address})
	d.tell(ctx, user)
	return true, d.loadOf(ctx, user)
}

// voidLink removes a link that somebody with fewer rights could be.
func (d *Authenticator) voidLink(ctx context.Context, id int64, user fact.UserID) {
	if _, err := d.pool.Exec(ctx, "delete from provider_link where id = $1", id); err != nil {
		d.log.Warn("a void link to an identity provider was not removed", "error", err)
		return
	}
	d.Record(ctx, Event{Event: "identity provider link void", User: user})
	d.tell(ctx, user)
	if err := d.loadOf(ctx, user); err != nil {
		d.log.Warn("the sessions of a void link were not ended here yet", "error", err)
	}
}

// SessionByLink opens a session for whoever a link says, who proved it at the provider; its own
// session there is blank where it has none; factor says that it proved a second factor.
func (d *Authenticator) SessionByLink(ctx context.Context, l Linked, theirs string, factor bool, device, address string) (string, time.Time, error) {
	if _, err := d.pool.Exec(ctx, "update provider_link set used_at = $2 where id = $1", l.ID, d.clock()); err != nil {
		return "", time.Time{}, err
	}
	text, expires, err := d.newSession(ctx, l.User, opened{made: l.made, link: l.ID, theirs: theirs, factor: factor}, device, address)
	if err == nil {
		d.Record(ctx, Event{Event: "signed in by an identity provider", Actor: l.User, User: l.User, Address: address})
	}
	return text, expires, err
}

// IssuerOf is the issuer by whom a session was opened, and blank for one that was opened here.
func (d *Authenticator) IssuerOf(ctx context.Context, cookie string) (issuer string, err error) {
	at := digestOf(cookie)
	err = d.pool.QueryRow(ctx, "select l.issuer from session s join provider_link l on l.id = s.link where s.digest = $1", at[:]).Scan(&issuer)
	if errors.Is(err, pgx.ErrNoRows) {
		return "", nil
	}
	return issuer, err
}

// EndByProvider ends the sessions that were opened by way of an issuer: those of a subject, of a
// session there, or of both; blank is any. It says how many there were.
func (d *Authenticator) EndByProvider(ctx context.Context, issuer, subject, theirs, address string) (int, error) {
	rows, err := d.pool.Query(ctx, `delete from session s using provider_link l where l.id = s.link and l.issuer = $1 and ($2 = '' or l.subject = $2) and ($3 = '' or s.provider_session = $3)
		returning s.digest, s.user_id`, issuer, subject, theirs)
	if err != nil {
		return 0, err
	}
	type ended struct {
		digest []byte
		user   fact.UserID
	}
	all, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (e ended, err error) { return e, r.Scan(&e.digest, (*uint32)(&e.user)) })
	if err != nil {
		return 0, err
	}
	for _, e := range all {
		d.keys.change(digest(e.digest), nil)
		d.tell(ctx, e.user)
		d.Record(ctx, Event{Event: "session ended by its identity provider", User: e.user, Address: address})
	}
	return len(all), nil
}

// couldBe is who else could be a user, where anybody could: by the password, by a link to an
// identity provider, or by a passkey. What the user makes is theirs as well.
func (d *Authenticator) couldBe(ctx context.Context, user fact.UserID) (made, error) {
	m := made{user: user}
	err := d.pool.QueryRow(ctx, `select maker, cleared from (
			select 1, 0, maker, cleared from credential where user_id = $1
			union all select 2, id, maker, cleared from provider_link where user_id = $1
			union all select 3, id, maker, cleared from passkey where user_id = $1) x(way, id, maker, cleared)
		where maker not in (0, $1) order by way, id limit 1`, uint32(user)).Scan((*uint32)(&m.by), &m.cleared)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	if m.cleared == nil {
		m.cleared = []string{}
	}
	return m, err
}
