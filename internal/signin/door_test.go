package signin_test

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/ledger"
	"ableroster/internal/signin"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5/pgxpool"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

// clock is a time that tests move.
type clock struct{ now time.Time }

func (c *clock) read() time.Time { return c.now }

func door(t testing.TB, database string, c *clock) (*signin.Door, *pgxpool.Pool) {
	t.Helper()
	pool := testkit.Pool(t, database)
	if err := ledger.Migrate(ctx, pool); err != nil {
		t.Fatal(err)
	}
	d, err := signin.Open(ctx, pool, slog.New(slog.DiscardHandler), c.read)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(d.Close)
	return d, pool
}

const ines, tomas = access.UserID(7), access.UserID(8)

func TestAPasswordOpensASessionThatEnds(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := door(t, testkit.Database(t), c)
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	cookie, expires, err := d.SignIn(ctx, "ines", ines, true, "a tide of ropes", "here")
	if err != nil || d.Session(cookie) != ines || !expires.Equal(c.now.Add(signin.SessionLasts)) {
		t.Fatalf("%v, session of %s until %v", err, d.Session(cookie), expires)
	}
	if d.Token(cookie) != 0 || d.Session("roster_"+cookie) != 0 {
		t.Error("a session was taken for a token, or made up")
	}
	var kept int
	if err := pool.QueryRow(ctx, `select count(*) from session, credential where position(convert_to($1, 'UTF8') in digest) > 0 or hash not like '$argon2id$v=19$m=19456,t=2,p=1$%'`, cookie).Scan(&kept); err != nil || kept > 0 {
		t.Errorf("secrets are kept in the clear, or not as argon2id (%v)", err)
	}
	c.now = expires
	if d.Session(cookie) != 0 {
		t.Error("the session is good after it ended")
	}
	c.now = expires.Add(-time.Hour)
	if err := d.SignOut(ctx, cookie); err != nil || d.Session(cookie) != 0 {
		t.Errorf("signed out and still in (%v)", err)
	}
}

// A wrong password, a name that is not there, an account without sign-in and
// one that may not sign in now are told alike.
func TestWhyOneIsNotLetInIsNotTold(t *testing.T) {
	d, _ := door(t, testkit.Database(t), &clock{time.Now()})
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	for name, try := range map[string]func() error{
		"a wrong password":            func() error { return d.Prove(ctx, "ines", ines, true, "a tide of rope", "here") },
		"a blank password":            func() error { return d.Prove(ctx, "ines", ines, true, "", "here") },
		"a name that is not there":    func() error { return d.Prove(ctx, "nobody", 0, false, "a tide of ropes", "here") },
		"a record without sign-in":    func() error { return d.Prove(ctx, "tomas", tomas, true, "a tide of ropes", "here") },
		"an account that may not now": func() error { return d.Prove(ctx, "ines", ines, false, "a tide of ropes", "here") },
	} {
		if err := try(); !errors.Is(err, signin.ErrWrong) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestANewPasswordEndsSessionsAndNotTokens(t *testing.T) {
	d, _ := door(t, testkit.Database(t), &clock{time.Now()})
	session, _, err := d.NewSession(ctx, ines)
	if err != nil {
		t.Fatal(err)
	}
	others, _, err := d.NewSession(ctx, tomas)
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := d.NewToken(ctx, ines, "script", time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if err := d.SetPassword(ctx, ines, "another tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	if d.Session(session) != 0 || d.Session(others) != tomas || d.Token(token) != ines {
		t.Errorf("session %s, another's %s, token %s", d.Session(session), d.Session(others), d.Token(token))
	}
}

func TestTokensAreShownOnceAndEnd(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := door(t, testkit.Database(t), c)
	made, secret, err := d.NewToken(ctx, ines, "script", time.Hour)
	if err != nil || d.Token(secret) != ines || !strings.HasPrefix(secret, "roster_") {
		t.Fatalf("%v %s", err, secret)
	}
	listed, err := d.Tokens(ctx, ines)
	if err != nil || len(listed) != 1 || listed[0].ID != made.ID || listed[0].Label != "script" {
		t.Errorf("%+v %v", listed, err)
	}
	if found, err := d.EndToken(ctx, tomas, made.ID); found || err != nil || d.Token(secret) != ines {
		t.Errorf("somebody else ended it: %v %v", found, err)
	}
	c.now = c.now.Add(2 * time.Hour)
	if d.Token(secret) != 0 {
		t.Error("is good after its hour")
	}
	c.now = c.now.Add(-2 * time.Hour)
	again, _ := door(t, pool.Config().ConnString(), c)
	if again.Token(secret) != ines {
		t.Error("a program started later does not know it")
	}
	if found, err := d.EndToken(ctx, ines, made.ID); !found || err != nil || d.Token(secret) != 0 {
		t.Errorf("ended and still good: %v %v", found, err)
	}
	testkit.Until(t, "the other program to know too", func() bool { return again.Token(secret) == 0 })
}

func TestASetUpLinkIsGoodOnceForAnHour(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := door(t, testkit.Database(t), c)
	first, err := d.NewSetUpLink(ctx)
	if err != nil {
		t.Fatal(err)
	}
	second, err := d.NewSetUpLink(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if d.CheckSetUpLink(ctx, first) == nil || d.CheckSetUpLink(ctx, "") == nil || d.CheckSetUpLink(ctx, second) != nil {
		t.Error("the newest link alone should be good")
	}
	var kept int
	if err := pool.QueryRow(ctx, "select count(*) from setup_link where encode(digest, 'escape') like '%'||$1||'%'", second).Scan(&kept); err != nil || kept > 0 {
		t.Errorf("the link is kept in the clear (%v)", err)
	}
	c.now = c.now.Add(signin.LinkLasts)
	if d.CheckSetUpLink(ctx, second) == nil {
		t.Error("is good after its hour")
	}
	c.now = c.now.Add(-signin.LinkLasts)
	if err := d.EndSetUpLinks(ctx); err != nil || d.CheckSetUpLink(ctx, second) == nil {
		t.Errorf("is good after use (%v)", err)
	}
}

func TestPasswordsThatAreRefused(t *testing.T) {
	for _, p := range []string{"", "eleven char", "\xff\xfe\xfd\xfc\xfb\xfa\xf9\xf8\xf7\xf6\xf5\xf4", strings.Repeat("x", 1025)} {
		if signin.CheckPassword(p) == nil {
			t.Errorf("%q was taken", p)
		}
	}
	for _, p := range []string{"twelve chars", "ünïcödé ïs öne", strings.Repeat("x", 1024)} {
		if err := signin.CheckPassword(p); err != nil {
			t.Errorf("%q: %v", p, err)
		}
	}
}

func TestTheSecurityLogTellsWhoTried(t *testing.T) {
	d, pool := door(t, testkit.Database(t), &clock{time.Now()})
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "10.1.1.1"); err != nil {
		t.Fatal(err)
	}
	_ = d.Prove(ctx, "ines", ines, true, "wrong", "10.1.1.2")
	if err := d.Prove(ctx, "ines", ines, true, "a tide of ropes", "10.1.1.3"); err != nil {
		t.Fatal(err)
	}
	var log string
	if err := pool.QueryRow(ctx, "select string_agg(event || ' ' || address, ', ' order by id) from security_event where user_id = 7").Scan(&log); err != nil {
		t.Fatal(err)
	}
	if log != "password changed 10.1.1.1, sign-in failed 10.1.1.2, signed in 10.1.1.3" {
		t.Error(log)
	}
}

// While the digests are read again and again, as other programs tell, a session
// that was made is good and one that was ended stays ended.
func TestSessionsHoldWhileTheDigestsAreReadAgain(t *testing.T) {
	d, pool := door(t, testkit.Database(t), &clock{time.Now()})
	stop := make(chan struct{})
	var wait sync.WaitGroup
	wait.Go(func() {
		for {
			select {
			case <-stop:
				return
			default:
				_, _ = pool.Exec(ctx, "select pg_notify('able_roster_keys', '')")
			}
		}
	})
	for i := range 300 {
		cookie, _, err := d.NewSession(ctx, ines)
		if err != nil || d.Session(cookie) != ines {
			t.Fatalf("session %d was opened and is not good (%v)", i, err)
		}
		if err := d.SignOut(ctx, cookie); err != nil {
			t.Fatal(err)
		}
		for range 50 {
			if d.Session(cookie) != 0 {
				t.Fatalf("session %d was ended and is good again", i)
			}
		}
	}
	close(stop)
	wait.Wait()
}
