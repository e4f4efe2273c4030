package signin

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/caught"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// tokenPrefix lets people and scanners tell what such a text is.
const tokenPrefix = "roster_"

type digest [sha256.Size]byte

// key is what a session or a token stands for.
type key struct {
	user    fact.UserID
	expires time.Time // zero for never
	token   bool
	only    string // what a token is good for alone
	second  bool   // its user has a second factor, or proved one to the identity provider
	link    int64  // of a session by way of an identity provider; 0 for another
	passkey int64  // of a session by way of one; 0 for another, and where the passkey is gone
	made    made
	use     *sessionUse // of a session; nil for a token
}

// keys are sessions and tokens by digest, as this program knows them.
type keys struct {
	lock
	all    map[digest]key
	seq    int64       // how often this program has changed them
	recent []keyChange // those changes, since the last load began
}

// keyChange is a key that was made, or ended (nil).
type keyChange struct {
	seq    int64
	digest digest
	key    *key
}

// change makes or ends a key in memory. What was changed while the keys are
// being read from the database is done again on what was read: a session that
// was ended must not come back by an older reading.
func (k *keys) change(at digest, to *key) {
	k.Lock()
	defer k.Unlock()
	k.changeLocked(at, to)
}

func (k *keys) changeLocked(at digest, to *key) {
	k.seq++
	k.recent = append(k.recent, keyChange{k.seq, at, to})
	apply(k.all, at, to)
}

func apply(all map[digest]key, at digest, to *key) {
	if to == nil {
		delete(all, at)
	} else {
		all[at] = *to
	}
}

// endOf ends in memory the keys of a user, but one.
func (k *keys) endOf(user fact.UserID, but digest) {
	k.Lock()
	defer k.Unlock()
	for at, x := range k.all {
		if x.user == user && at != but {
			k.changeLocked(at, nil)
		}
	}
}

const sqlKeys = `select s.digest, s.user_id, s.expires_at, false, coalesce(l.maker, p.maker, c.maker, 0), coalesce(l.cleared, p.cleared, c.cleared, '{}'), f.confirmed_at is not null or s.factor, s.used_at, '', coalesce(s.link, 0), coalesce(p.id, 0)
		from session s left join provider_link l on l.id = s.link left join passkey p on p.id = s.passkey left join credential c on c.user_id = s.user_id left join second_factor f on f.user_id = s.user_id
		where s.expires_at > clock_timestamp() and ($1 = 0 or s.user_id = $1)
	union all select t.digest, user_id, t.expires_at, true, t.maker, t.cleared, f.confirmed_at is not null, null, t.only_for, 0, 0
		from token t left join second_factor f using (user_id) where (expires_at is null or expires_at > clock_timestamp()) and ($1 = 0 or user_id = $1)`

func (d *Authenticator) read(ctx context.Context, user fact.UserID) (map[digest]key, error) {
	rows, err := d.pool.Query(ctx, sqlKeys, int32(user))
	if err != nil {
		return nil, err
	}
	out := map[digest]key{}
	for rows.Next() {
		var raw []byte
		var k key
		var expires, used *time.Time
		if err := rows.Scan(&raw, (*uint32)(&k.user), &expires, &k.token, (*uint32)(&k.made.by), &k.made.cleared, &k.second, &used, &k.only, &k.link, &k.passkey); err != nil {
			return nil, err
		}
		k.made.user = k.user
		if expires != nil {
			k.expires = *expires
		}
		if used != nil {
			k.use = usedAt(*used)
		}
		out[digest(raw)] = k
	}
	return out, rows.Err()
}

// load reads all digests. What other programs on the same database change is
// followed user by user.
func (d *Authenticator) load(ctx context.Context) error {
	d.keys.Lock()
	began := d.keys.seq
	d.keys.Unlock()
	all, err := d.read(ctx, 0)
	if err != nil {
		return err
	}
	d.keys.Lock()
	defer d.keys.Unlock()
	for at, k := range all {
		k.use.follow(d.keys.all[at].use)
	}
	var later []keyChange
	for _, c := range d.keys.recent {
		if c.seq > began {
			apply(all, c.digest, c.key)
			later = append(later, c)
		}
	}
	d.keys.all, d.keys.recent = all, later
	return nil
}

// loadOf reads the digests of one user.
func (d *Authenticator) loadOf(ctx context.Context, user fact.UserID) error {
	d.keys.Lock()
	began := d.keys.seq
	d.keys.Unlock()
	theirs, err := d.read(ctx, user)
	if err != nil {
		return err
	}
	d.keys.Lock()
	defer d.keys.Unlock()
	for _, c := range d.keys.recent {
		if c.seq > began && (c.key == nil || c.key.user == user) {
			apply(theirs, c.digest, c.key)
		}
	}
	for at, k := range d.keys.all {
		if _, stays := theirs[at]; k.user == user && !stays {
			delete(d.keys.all, at)
		}
	}
	for at, k := range theirs {
		k.use.follow(d.keys.all[at].use)
		d.keys.all[at] = k
	}
	if len(d.keys.recent) > mostRecent { // what is older than any reading under way
		d.keys.recent = append([]keyChange(nil), d.keys.recent[len(d.keys.recent)-mostRecent/2:]...)
	}
	return nil
}

// mostRecent bounds how many changes are kept for readings that began before them.
const mostRecent = 4096

// quiet is how long the database may say nothing before it is asked whether it is
// still there: a connection may break without a word.
const quiet = 2 * time.Second

// answers is how long the database may take to tell what the keys are.
const answers = 10 * time.Second

func (d *Authenticator) follow(ctx context.Context) {
	defer close(d.done)
	for ctx.Err() == nil {
		if err := caught.Do(func() error { return d.listen(ctx) }); err != nil && ctx.Err() == nil {
			d.pool.Reset() // connections that lie ready are likely as broken
			select {
			case <-ctx.Done():
			case <-time.After(250 * time.Millisecond):
			}
		}
	}
}

func (d *Authenticator) listen(ctx context.Context) error {
	// Whatever is asked of the database has an end: connections that lie ready may have
	// broken without a word too.
	begin, cancel := context.WithTimeout(ctx, quiet)
	defer cancel()
	conn, err := d.pool.Acquire(begin)
	if err != nil {
		return err
	}
	defer func() {
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), quiet)
		defer cancel()
		_ = conn.Hijack().Close(end)
	}()
	if _, err := conn.Exec(begin, "listen able_roster_keys"); err != nil {
		return err
	}
	if err := d.hear(ctx, "all"); err != nil {
		return err
	}
	for {
		wait, cancel := context.WithTimeout(ctx, quiet)
		notice, err := conn.Conn().WaitForNotification(wait)
		waited := wait.Err() != nil
		cancel()
		switch {
		case err == nil:
			if err := d.hear(ctx, notice.Payload); err != nil {
				return err
			}
		case ctx.Err() != nil || !waited || conn.Conn().IsClosed():
			return err
		default:
			alive, cancel := context.WithTimeout(ctx, quiet)
			err := conn.Conn().Ping(alive)
			cancel()
			if err != nil {
				return err
			}
		}
	}
}

// hear reads again what a notice says has changed.
func (d *Authenticator) hear(ctx context.Context, payload string) error {
	ctx, cancel := context.WithTimeout(ctx, answers)
	defer cancel()
	for _, text := range strings.Split(payload, ",") {
		user, bad := strconv.ParseUint(text, 10, 32)
		if bad != nil { // all, or many, or of another version: look at all
			return d.load(ctx)
		}
		if err := d.loadOf(ctx, fact.UserID(user)); err != nil {
			return err
		}
	}
	return nil
}

// secret makes a random text and the digest that is kept of it.
func secret(prefix string) (string, digest) {
	raw := make([]byte, 32)
	rand.Read(raw)
	text := prefix + base64.RawURLEncoding.EncodeToString(raw)
	return text, sha256.Sum256([]byte(text))
}

// Known is who a caller is, and by what.
type Known struct {
	User    fact.UserID
	Expires time.Time // of what they showed; zero for never
	Second  bool      // they have a second factor
	Only    string    // what their token is good for alone; blank: all they may do
	maker   fact.UserID
}

// Session is whose session a cookie is; nobody's is the zero Known.
func (d *Authenticator) Session(cookie string) Known { return d.lookUp(cookie, false) }

// Token is whose token a secret is.
func (d *Authenticator) Token(text string) Known {
	if !strings.HasPrefix(text, tokenPrefix) {
		return Known{}
	}
	return d.lookUp(text, true)
}

func (d *Authenticator) lookUp(text string, token bool) Known {
	at := digest(sha256.Sum256([]byte(text)))
	d.keys.RLock()
	k, ok := d.keys.all[at]
	d.keys.RUnlock()
	if !ok || k.token != token || !k.expires.IsZero() && !d.clock().Before(k.expires) {
		return Known{}
	}
	if !d.stands(k.made) {
		d.voidKey(at, &k)
		return Known{}
	}
	if k.use != nil && !d.active(at, &k) {
		return Known{}
	}
	d.used(k.user)
	return Known{k.user, k.expires, k.second, k.only, k.made.by}
}

// NewSession opens a session for a user who has proved who they are, on a device at an
// address.
func (d *Authenticator) NewSession(ctx context.Context, user fact.UserID, device, address string) (string, time.Time, error) {
	c, err := d.credential(ctx, user)
	if err != nil {
		return "", time.Time{}, err
	}
	return d.newSession(ctx, user, opened{made: c.made}, device, address)
}

// opened is what opens a session: who could know it, and the link to an identity provider or
// the passkey that it is; 0 for neither.
type opened struct {
	made
	link, passkey int64
	theirs        string // the provider's own session, blank where it has none
	factor        bool   // the provider proved a second factor
}

// newSession opens a session by something.
func (d *Authenticator) newSession(ctx context.Context, user fact.UserID, by opened, device, address string) (string, time.Time, error) {
	second, err := d.HasSecond(ctx, user)
	if err != nil {
		return "", time.Time{}, err
	}
	text, at := secret("")
	expires := d.clock().Add(SessionLasts)
	if _, err := d.pool.Exec(ctx, "insert into session (digest, user_id, expires_at, device, address, used_at, link, passkey, provider_session, factor) values ($1, $2, $3, $4, $5, $6, nullif($7::bigint, 0), nullif($8::bigint, 0), $9, $10)",
		at[:], uint32(user), expires, device, address, d.clock(), by.link, by.passkey, by.theirs, by.factor); err != nil {
		return "", time.Time{}, err
	}
	k := key{user: user, expires: expires, second: second || by.factor, made: by.made, link: by.link, passkey: by.passkey, use: usedAt(d.clock())}
	d.keys.change(at, &k)
	d.tell(ctx, user)
	return text, expires, nil
}

// SignOut ends a session.
func (d *Authenticator) SignOut(ctx context.Context, cookie string) error {
	at := digest(sha256.Sum256([]byte(cookie)))
	d.keys.RLock()
	user := d.keys.all[at].user
	d.keys.RUnlock()
	d.keys.change(at, nil)
	_, err := d.pool.Exec(ctx, "delete from session where digest = $1", at[:])
	d.keys.change(at, nil) // again: it may have been read once more in between
	d.tell(ctx, user)
	return err
}

// tell tells other programs on the database that keys of a user have changed.
func (d *Authenticator) tell(ctx context.Context, user fact.UserID) {
	if _, err := d.pool.Exec(ctx, "select pg_notify('able_roster_keys', $1)", strconv.FormatUint(uint64(user), 10)); err != nil {
		d.log.Warn("others were not told of a session or token", "error", err)
	}
}

// SetPasswordOnHost gives a user a password on the authority of whoever has the host:
// nobody else could know it.
func (d *Authenticator) SetPasswordOnHost(ctx context.Context, user fact.UserID, password string) error {
	if err := d.SetPassword(ctx, user, password, "this host"); err != nil {
		return err
	}
	if _, err := d.pool.Exec(ctx, "update credential set maker = 0, cleared = '{}' where user_id = $1", uint32(user)); err != nil {
		return err
	}
	return d.loadOf(ctx, user)
}

// SetPassword gives a user a password they chose themselves and ends all their
// sessions and tokens. Whoever else could know it stays: see made.
func (d *Authenticator) SetPassword(ctx context.Context, user fact.UserID, password, address string) error {
	hash, err := HashPassword(ctx, password)
	if err != nil {
		return err
	}
	if err := d.SetHash(ctx, user, hash); err != nil {
		return err
	}
	d.Record(ctx, Event{Event: "password changed", Actor: user, User: user, Address: address})
	return nil
}

// SetHash keeps a password hash made before and ends the user's sessions and tokens.
// Whoever could know the password before could still: the maker stays.
func (d *Authenticator) SetHash(ctx context.Context, user fact.UserID, hash string) error {
	err := pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error { return setHash(ctx, tx, user, hash) })
	if err != nil {
		return err
	}
	d.keys.endOf(user, digest{})
	d.tell(ctx, user)
	return nil
}

func setHash(ctx context.Context, tx pgx.Tx, user fact.UserID, hash string) error {
	if _, err := tx.Exec(ctx, `insert into credential (user_id, hash) values ($1, $2)
		on conflict (user_id) do update set hash = excluded.hash, changed_at = clock_timestamp()`, uint32(user), hash); err != nil {
		return err
	}
	return endKeys(ctx, tx, user)
}

func endKeys(ctx context.Context, tx pgx.Tx, user fact.UserID) error {
	for _, sql := range []string{"delete from session where user_id = $1", "delete from token where user_id = $1"} {
		if _, err := tx.Exec(ctx, sql, uint32(user)); err != nil {
			return err
		}
	}
	return nil
}

func (at digest) String() string { return hex.EncodeToString(at[:]) }
