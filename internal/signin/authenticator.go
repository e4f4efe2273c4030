package signin

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/sealed"

	"github.com/jackc/pgx/v5/pgxpool"
)

// Errors of signing in. They do not tell which names exist.
var (
	ErrWrong  = errors.New("the user name or the password is not right, or the account cannot sign in now")
	ErrPaused = errors.New("too many attempts")
	ErrLink   = errors.New("the link is not valid any more")
	ErrVoid   = errors.New("this password is void: somebody who may have known it has fewer rights than you have now. Ask an administrator for a new sign-in link")
)

// SessionLasts is how long a session is good for.
const SessionLasts = 12 * time.Hour

// MostNameBytes bounds the user names that are looked at: no longer one exists.
const MostNameBytes = 128

// Authenticator lets callers in. It may be used by several goroutines.
type Authenticator struct {
	pool     *pgxpool.Pool
	log      *slog.Logger
	clock    func() time.Time
	Throttle Throttle
	Mailed   Throttle // of who asks to be mailed

	// Standing judges what users and makers hold; nil judges nobody. It is set
	// before the first caller comes, and is called by several goroutines at once.
	Powers Powers

	// Secrets seals what has to be read back, nil nothing; Idle is how long a session is good
	// for without being used, 0 for as long as it lasts. Both are set as Powers is.
	Secrets *sealed.Box
	Idle    time.Duration

	keys       keys
	judgements judgements
	uses       uses

	stop context.CancelFunc
	done chan struct{}
}

// Open loads the digests of sessions and tokens and follows them until Close.
func Open(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger, clock func() time.Time) (*Authenticator, error) {
	run, cancel := context.WithCancel(context.WithoutCancel(ctx))
	d := &Authenticator{pool: pool, log: log, clock: clock, stop: cancel, done: make(chan struct{})}
	if err := d.load(ctx); err != nil {
		cancel()
		return nil, err
	}
	go d.follow(run)
	return d, nil
}

// Close stops following.
func (d *Authenticator) Close() {
	d.stop()
	<-d.done
	d.uses.writing.Wait()
}

// Who is somebody who tries to sign in.
type Who struct {
	Name    string      // as it was given
	User    fact.UserID // whom it means, or 0
	May     bool        // whether they may sign in now
	Address string      // where the try comes from
	Device  string      // the secret of a browser that signed in before, or nothing
	On      string      // what device that is, as it says itself
	Second  bool        // they prove their second factor too, if they have one
	Code    string      // by this code
	Again   bool        // they are signed in, and only prove once more who they are
}

// event is what is recorded of somebody who signs in, or of who is signed in.
func (w *Who) event(in, again string) string {
	if w.Again {
		return again
	}
	return in
}

// SignIn compares a password and opens a session; the text goes into a cookie.
func (d *Authenticator) SignIn(ctx context.Context, w Who, password string) (string, time.Time, error) {
	if err := d.Prove(ctx, w, password); err != nil {
		return "", time.Time{}, err
	}
	return d.NewSession(ctx, w.User, w.On, w.Address)
}

// Prove compares a password. It answers the same, in the same time, for a
// wrong password, a name that is not there and an account that cannot sign in.
func (d *Authenticator) Prove(ctx context.Context, w Who, password string) error {
	if len(w.Name) > MostNameBytes { // nobody is called so: it is no key of anything
		return ErrWrong
	}
	try, err := d.tryOf(ctx, w)
	if err != nil {
		return err
	}
	if !d.Throttle.Begin(d.clock(), try) {
		return ErrPaused
	}
	c, err := d.credential(ctx, w.User)
	hash := c.hash
	if hash == "" {
		hash = nobodysHash
	}
	fits := false
	if err == nil {
		fits, err = passwordFits(ctx, password, hash)
	}
	if err != nil { // the database is away, say: it was no wrong password
		d.Throttle.Undo(try)
		return err
	}
	if !fits || c.hash == "" || !w.May || w.User == 0 {
		d.Record(ctx, Event{Event: w.event("sign-in failed", "identity not confirmed"), User: w.User, Address: w.Address})
		return ErrWrong
	}
	if !d.stands(c.made) {
		d.voidCredential(ctx, c.made)
		return ErrVoid
	}
	if w.Second {
		if err := d.ProveSecond(ctx, w.User, w.Code, w.Address); err != nil {
			if !errors.Is(err, ErrCode) {
				d.Throttle.Undo(try)
			}
			return err
		}
	}
	d.Throttle.Succeeded(try)
	d.Record(ctx, Event{Event: w.event("signed in", "identity confirmed"), Actor: w.User, User: w.User, Address: w.Address})
	return nil
}

// Wait is how long to wait before the next try.
func (d *Authenticator) Wait(ctx context.Context, w Who) time.Duration {
	try, err := d.tryOf(ctx, w)
	if err != nil {
		return 0
	}
	return d.Throttle.Wait(d.clock(), try)
}

// tryOf is under what a try is counted: the device where it is one of the user's,
// else the account and the address.
func (d *Authenticator) tryOf(ctx context.Context, w Who) (Try, error) {
	known, err := d.knownDevice(ctx, w.User, w.Device)
	if err != nil || known {
		return Try{Device: w.Device}, err
	}
	return Try{Account: foldName(w.Name), Address: w.Address}, nil
}

// lock guards a map of the door.
type lock = sync.RWMutex
