package signin

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"log/slog"
	"strings"
	"sync"
	"time"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Errors of signing in. They do not tell which names exist.
var (
	ErrWrong  = errors.New("the user name or the password is not right, or the account cannot sign in now")
	ErrPaused = errors.New("too many attempts")
	ErrLink   = errors.New("the set-up link is not valid any more")
)

// SessionLasts is how long a session is good for.
const SessionLasts = 12 * time.Hour

// tokenPrefix lets people and scanners tell what such a text is.
const tokenPrefix = "roster_"

// Door lets callers in.
type Door struct {
	pool     *pgxpool.Pool
	log      *slog.Logger
	clock    func() time.Time
	Throttle Throttle

	mu     sync.RWMutex
	keys   map[[32]byte]key // sessions and tokens by digest
	seq    int64            // how often this program has changed them
	recent []keyChange      // those changes, since the last load began

	uses uses

	stop context.CancelFunc
	done chan struct{}
}

// key is what a session or a token stands for.
type key struct {
	user    access.UserID
	expires time.Time // zero for never
	token   bool
}

// keyChange is a key that this program made, or ended (nil).
type keyChange struct {
	seq    int64
	digest [32]byte
	key    *key
}

// change makes or ends a key in memory. What was changed while the keys are
// being read from the database is done again on what was read: a session that
// was ended must not come back by an older reading.
func (d *Door) change(digest [32]byte, k *key) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.changeLocked(digest, k)
}

func (d *Door) changeLocked(digest [32]byte, k *key) {
	d.seq++
	d.recent = append(d.recent, keyChange{d.seq, digest, k})
	d.keys = apply(d.keys, digest, k)
}

func apply(keys map[[32]byte]key, digest [32]byte, k *key) map[[32]byte]key {
	if k == nil {
		delete(keys, digest)
	} else {
		keys[digest] = *k
	}
	return keys
}

// Open loads the digests of sessions and tokens and follows them until Close.
func Open(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger, clock func() time.Time) (*Door, error) {
	run, cancel := context.WithCancel(context.WithoutCancel(ctx))
	d := &Door{pool: pool, log: log, clock: clock, stop: cancel, done: make(chan struct{})}
	if err := d.load(ctx); err != nil {
		cancel()
		return nil, err
	}
	go d.follow(run)
	return d, nil
}

// Close stops following.
func (d *Door) Close() {
	d.stop()
	<-d.done
	d.uses.writing.Wait()
}

// load reads all digests. Those of other programs on the same database are
// followed by loading again when one of them says so.
func (d *Door) load(ctx context.Context) error {
	d.mu.Lock()
	began := d.seq
	d.mu.Unlock()
	rows, err := d.pool.Query(ctx, `select digest, user_id, expires_at, false from session where expires_at > clock_timestamp()
		union all select digest, user_id, expires_at, true from token where expires_at is null or expires_at > clock_timestamp()`)
	if err != nil {
		return err
	}
	keys := map[[32]byte]key{}
	for rows.Next() {
		var digest []byte
		var k key
		var expires *time.Time
		if err := rows.Scan(&digest, (*uint32)(&k.user), &expires, &k.token); err != nil {
			return err
		}
		if expires != nil {
			k.expires = *expires
		}
		keys[[32]byte(digest)] = k
	}
	if err := rows.Err(); err != nil {
		return err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	var later []keyChange
	for _, c := range d.recent {
		if c.seq > began {
			keys = apply(keys, c.digest, c.key)
			later = append(later, c)
		}
	}
	d.keys, d.recent = keys, later
	return nil
}

func (d *Door) follow(ctx context.Context) {
	defer close(d.done)
	for ctx.Err() == nil {
		if err := d.listen(ctx); err != nil && ctx.Err() == nil {
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
		}
	}
}

func (d *Door) listen(ctx context.Context) error {
	conn, err := d.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer func() { conn.Hijack().Close(context.WithoutCancel(ctx)) }()
	if _, err := conn.Exec(ctx, "listen able_roster_keys"); err != nil {
		return err
	}
	for {
		if err := d.load(ctx); err != nil {
			return err
		}
		if _, err := conn.Conn().WaitForNotification(ctx); err != nil {
			return err
		}
	}
}

// secret makes a random text and the digest that is kept of it.
func secret(prefix string) (text string, digest [32]byte) {
	raw := make([]byte, 32)
	rand.Read(raw)
	text = prefix + base64.RawURLEncoding.EncodeToString(raw)
	return text, sha256.Sum256([]byte(text))
}

// Session is whose session a cookie is, or 0.
func (d *Door) Session(cookie string) access.UserID { return d.lookUp(cookie, false) }

// Token is whose token a secret is, or 0.
func (d *Door) Token(text string) access.UserID {
	if !strings.HasPrefix(text, tokenPrefix) {
		return 0
	}
	return d.lookUp(text, true)
}

func (d *Door) lookUp(text string, token bool) access.UserID {
	digest := sha256.Sum256([]byte(text))
	d.mu.RLock()
	k, ok := d.keys[digest]
	d.mu.RUnlock()
	if !ok || k.token != token || !k.expires.IsZero() && !d.clock().Before(k.expires) {
		return 0
	}
	d.used(k.user)
	return k.user
}

func (d *Door) remember(digest [32]byte, k key) { d.change(digest, &k) }

func (d *Door) forgetDigest(digest [32]byte) { d.change(digest, nil) }

const sqlTell = `select pg_notify('able_roster_keys', '')`

// SignIn compares a password and opens a session; the text goes into a cookie.
// user is who the name means, or 0; may says whether they may sign in now.
func (d *Door) SignIn(ctx context.Context, name string, user access.UserID, may bool, password, address string) (string, time.Time, error) {
	if err := d.Prove(ctx, name, user, may, password, address); err != nil {
		return "", time.Time{}, err
	}
	return d.NewSession(ctx, user)
}

// Prove compares a password. It answers the same, in the same time, for a
// wrong password, a name that is not there and an account that cannot sign in.
func (d *Door) Prove(ctx context.Context, name string, user access.UserID, may bool, password, address string) error {
	name = strings.ToLower(name)
	if !d.Throttle.Begin(d.clock(), name, address) {
		return ErrPaused
	}
	hash := nobodysHash
	err := d.pool.QueryRow(ctx, "select hash from credential where user_id = $1", uint32(user)).Scan(&hash)
	if err != nil && !errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	known := err == nil
	fits, err := passwordFits(ctx, password, hash)
	if err != nil {
		return err
	}
	if !fits || !known || !may || user == 0 {
		d.event(ctx, "sign-in failed", user, address)
		return ErrWrong
	}
	d.Throttle.Succeeded(name, address)
	d.event(ctx, "signed in", user, address)
	return nil
}

// Wait is how long to wait before the next try.
func (d *Door) Wait(name, address string) time.Duration {
	return d.Throttle.Wait(d.clock(), strings.ToLower(name), address)
}

// NewSession opens a session for a user who has proved who they are.
func (d *Door) NewSession(ctx context.Context, user access.UserID) (string, time.Time, error) {
	text, digest := secret("")
	expires := d.clock().Add(SessionLasts)
	if _, err := d.pool.Exec(ctx, "insert into session (digest, user_id, expires_at) values ($1, $2, $3)", digest[:], uint32(user), expires); err != nil {
		return "", time.Time{}, err
	}
	d.remember(digest, key{user: user, expires: expires})
	d.tell(ctx)
	return text, expires, nil
}

// SignOut ends a session.
func (d *Door) SignOut(ctx context.Context, cookie string) error {
	digest := sha256.Sum256([]byte(cookie))
	d.forgetDigest(digest)
	_, err := d.pool.Exec(ctx, "delete from session where digest = $1", digest[:])
	d.forgetDigest(digest) // again: it may have been read once more in between
	d.tell(ctx)
	return err
}

func (d *Door) tell(ctx context.Context) {
	if _, err := d.pool.Exec(ctx, sqlTell); err != nil {
		d.log.Warn("others were not told of a session or token", "error", err)
	}
}

// event writes the security log. It must not fail what it tells of.
func (d *Door) event(ctx context.Context, event string, user access.UserID, address string) {
	if _, err := d.pool.Exec(ctx, "insert into security_event (event, user_id, address) values ($1, nullif($2, 0), $3)", event, uint32(user), address); err != nil {
		d.log.Warn("the security log was not written", "event", event, "error", err)
	}
}

// SetPassword gives a user a password and ends all their sessions, and, when
// asked, their tokens.
func (d *Door) SetPassword(ctx context.Context, user access.UserID, password, address string) error {
	hash, err := HashPassword(ctx, password)
	if err != nil {
		return err
	}
	if err := d.SetHash(ctx, user, hash); err != nil {
		return err
	}
	d.event(ctx, "password changed", user, address)
	return nil
}

// SetHash keeps a password hash made before and ends the user's sessions.
func (d *Door) SetHash(ctx context.Context, user access.UserID, hash string) error {
	err := pgx.BeginFunc(ctx, d.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `insert into credential (user_id, hash) values ($1, $2)
			on conflict (user_id) do update set hash = excluded.hash, changed_at = clock_timestamp()`, uint32(user), hash); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "delete from session where user_id = $1", uint32(user))
		return err
	})
	if err != nil {
		return err
	}
	d.mu.Lock()
	for digest, k := range d.keys {
		if k.user == user && !k.token {
			d.changeLocked(digest, nil)
		}
	}
	d.mu.Unlock()
	d.tell(ctx)
	return nil
}
