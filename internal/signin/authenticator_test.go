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

	"ableroster/internal/fact"
	"ableroster/internal/ledger/migrations"
	"ableroster/internal/signin"
	"ableroster/testkit"

	"github.com/pquerna/otp/totp"

	"github.com/jackc/pgx/v5/pgxpool"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

// clock is a time that tests move.
type clock struct{ now time.Time }

func (c *clock) read() time.Time { return c.now }

func authenticator(t testing.TB, database string, c *clock) (*signin.Authenticator, *pgxpool.Pool) {
	t.Helper()
	pool := testkit.Pool(t, database)
	if err := migrations.Migrate(ctx, pool); err != nil {
		t.Fatal(err)
	}
	d, err := signin.Open(ctx, pool, slog.New(slog.DiscardHandler), c.read)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(d.Close)
	return d, pool
}

const ines, tomas = fact.UserID(7), fact.UserID(8)

func TestAPasswordOpensASessionThatEnds(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := authenticator(t, testkit.Database(t), c)
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	cookie, expires, err := d.SignIn(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "here"}, "a tide of ropes")
	if err != nil || d.Session(cookie).User != ines || !expires.Equal(c.now.Add(signin.SessionLasts)) {
		t.Fatalf("%v, session of %s until %v", err, d.Session(cookie).User, expires)
	}
	if d.Token(cookie).User != 0 || d.Session("roster_"+cookie).User != 0 {
		t.Error("a session was taken for a token, or made up")
	}
	var kept int
	if err := pool.QueryRow(ctx, `select count(*) from session, credential where position(convert_to($1, 'UTF8') in digest) > 0 or hash not like '$argon2id$v=19$m=19456,t=2,p=1$%'`, cookie).Scan(&kept); err != nil || kept > 0 {
		t.Errorf("secrets are kept in the clear, or not as argon2id (%v)", err)
	}
	c.now = expires
	if d.Session(cookie).User != 0 {
		t.Error("the session is good after it ended")
	}
	c.now = expires.Add(-time.Hour)
	if err := d.SignOut(ctx, cookie); err != nil || d.Session(cookie).User != 0 {
		t.Errorf("signed out and still in (%v)", err)
	}
}

// A wrong password, a name that is not there, an account without sign-in and
// one that may not sign in now are told alike.
func TestWhyOneIsNotLetInIsNotTold(t *testing.T) {
	d, _ := authenticator(t, testkit.Database(t), &clock{time.Now()})
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	for name, try := range map[string]func() error{
		"a wrong password": func() error {
			return d.Prove(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "here"}, "a tide of rope")
		},
		"a blank password": func() error {
			return d.Prove(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "here"}, "")
		},
		"a name that is not there": func() error {
			return d.Prove(ctx, signin.Who{Name: "nobody", User: 0, May: false, Address: "here"}, "a tide of ropes")
		},
		"a record without sign-in": func() error {
			return d.Prove(ctx, signin.Who{Name: "tomas", User: tomas, May: true, Address: "here"}, "a tide of ropes")
		},
		"an account that may not now": func() error {
			return d.Prove(ctx, signin.Who{Name: "ines", User: ines, May: false, Address: "here"}, "a tide of ropes")
		},
	} {
		if err := try(); !errors.Is(err, signin.ErrWrong) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestANewPasswordEndsSessionsAndTokens(t *testing.T) {
	d, _ := authenticator(t, testkit.Database(t), &clock{time.Now()})
	session, _, err := d.NewSession(ctx, ines, "a browser", "here")
	if err != nil {
		t.Fatal(err)
	}
	others, _, err := d.NewSession(ctx, tomas, "a browser", "here")
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := d.NewToken(ctx, ines, ines, signin.Means{}, nil, "script", "", time.Hour, "here")
	if err != nil {
		t.Fatal(err)
	}
	if err := d.SetPassword(ctx, ines, "another tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	if d.Session(session).User != 0 || d.Session(others).User != tomas || d.Token(token).User != 0 {
		t.Errorf("session %s, another's %s, token %s", d.Session(session).User, d.Session(others).User, d.Token(token).User)
	}
}

func TestTokensAreShownOnceAndEnd(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := authenticator(t, testkit.Database(t), c)
	made, secret, err := d.NewToken(ctx, ines, ines, signin.Means{}, nil, "script", "", time.Hour, "here")
	if err != nil || d.Token(secret).User != ines || !strings.HasPrefix(secret, "roster_") {
		t.Fatalf("%v %s", err, secret)
	}
	listed, err := d.Tokens(ctx, ines)
	if err != nil || len(listed) != 1 || listed[0].ID != made.ID || listed[0].Label != "script" {
		t.Errorf("%+v %v", listed, err)
	}
	if found, err := d.EndToken(ctx, tomas, made.ID, "here"); found || err != nil || d.Token(secret).User != ines {
		t.Errorf("somebody else ended it: %v %v", found, err)
	}
	c.now = c.now.Add(2 * time.Hour)
	if d.Token(secret).User != 0 {
		t.Error("is good after its hour")
	}
	c.now = c.now.Add(-2 * time.Hour)
	again, _ := authenticator(t, pool.Config().ConnString(), c)
	if again.Token(secret).User != ines {
		t.Error("a program started later does not know it")
	}
	if found, err := d.EndToken(ctx, ines, made.ID, "here"); !found || err != nil || d.Token(secret).User != 0 {
		t.Errorf("ended and still good: %v %v", found, err)
	}
	testkit.Until(t, "the other program to know too", func() bool { return again.Token(secret).User == 0 })
}

func TestASetUpLinkIsGoodOnceForAnHour(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := authenticator(t, testkit.Database(t), c)
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
	c.now = c.now.Add(signin.SetUpLasts)
	if d.CheckSetUpLink(ctx, second) == nil {
		t.Error("is good after its hour")
	}
	c.now = c.now.Add(-signin.SetUpLasts)
	if err := d.EndSetUpLinks(ctx); err != nil || d.CheckSetUpLink(ctx, second) == nil {
		t.Errorf("is good after use (%v)", err)
	}
}

func TestPasswordsThatAreRefused(t *testing.T) {
	for _, p := range []string{"", "eleven char", "\xff\xfe\xfd\xfc\xfb\xfa\xf9\xf8\xf7\xf6\xf5\xf4", strings.Repeat("gulls and ropes ", 65), "passwordpassword", "123456789012", strings.Repeat(" ", 12), strings.Repeat("x", 600), "marta.quill2026", "larkhavenlarkhaven"} {
		if signin.CheckPassword(p, "marta.quill", "Larkhaven Port Authority") == nil {
			t.Errorf("%q was taken", p)
		}
	}
	for _, p := range []string{"twelve gulls", "a quill on the table", "ünïcödé ïs öne", strings.Repeat("gulls and ropes ", 64), "larkhaven-tide-table"} {
		if err := signin.CheckPassword(p, "marta.quill", "Larkhaven Port Authority"); err != nil {
			t.Errorf("%q: %v", p, err)
		}
	}
}

func TestTheSecurityLogTellsWhoTried(t *testing.T) {
	d, pool := authenticator(t, testkit.Database(t), &clock{time.Now()})
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "10.1.1.1"); err != nil {
		t.Fatal(err)
	}
	_ = d.Prove(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "10.1.1.2"}, "wrong")
	if err := d.Prove(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "10.1.1.3"}, "a tide of ropes"); err != nil {
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
	d, pool := authenticator(t, testkit.Database(t), &clock{time.Now()})
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
		cookie, _, err := d.NewSession(ctx, ines, "a browser", "here")
		if err != nil || d.Session(cookie).User != ines {
			t.Fatalf("session %d was opened and is not good (%v)", i, err)
		}
		if err := d.SignOut(ctx, cookie); err != nil {
			t.Fatal(err)
		}
		for range 50 {
			if d.Session(cookie).User != 0 {
				t.Fatalf("session %d was ended and is good again", i)
			}
		}
	}
	close(stop)
	wait.Wait()
}

// standing is what a test says that users hold.
type standing struct{ lacking []string }

func (s *standing) Revision() int64 { return 1 }
func (s *standing) Powers(fact.UserID, fact.UserID) (all, lacking []string) {
	return append([]string{"one"}, s.lacking...), s.lacking
}

// A password whose maker holds less than its user is void for good, with all it opened;
// so is a machine account's token, alone.
func TestWhatALesserOneCouldKnowIsVoid(t *testing.T) {
	c := &clock{time.Now()}
	d, _ := authenticator(t, testkit.Database(t), c)
	held := &standing{}
	d.Powers = held
	code, _, err := d.NewLink(ctx, ines, tomas, []string{"one"}, signin.LinkLasts, "here")
	if err != nil {
		t.Fatal(err)
	}
	if user, err := d.UseLink(ctx, code, "a tide of ropes", "here"); user != ines || err != nil {
		t.Fatal(user, err)
	}
	who := signin.Who{Name: "ines", User: ines, May: true, Address: "here"}
	session, _, err := d.SignIn(ctx, who, "a tide of ropes")
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := d.NewToken(ctx, ines, ines, signin.Means{}, nil, "her own", "", time.Hour, "here")
	if err != nil {
		t.Fatal(err)
	}
	codes, _, err := d.BeginSecond(ctx, ines, "Larkhaven", "ines")
	if err != nil {
		t.Fatal(err)
	}
	code, err = totp.GenerateCode(codes, c.now)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.ConfirmSecond(ctx, ines, signin.Means{}, code, "here"); err != nil {
		t.Fatal(err)
	}
	machine := fact.UserID(9)
	_, theirs, err := d.NewToken(ctx, machine, tomas, signin.Means{}, []string{"one"}, "a machine's", "", time.Hour, "here")
	if err != nil {
		t.Fatal(err)
	}
	if d.Session(session).User != ines || d.Token(token).User != ines || d.Token(theirs).User != machine {
		t.Fatal("what its maker holds too is not good")
	}
	late, _, err := d.NewLink(ctx, ines, tomas, []string{"one"}, signin.LinkLasts, "here")
	if err != nil {
		t.Fatal(err)
	}
	held.lacking = []string{"more"}
	c.now = c.now.Add(2 * time.Minute) // a judgement is kept for one
	if d.Session(session).User != 0 || d.Token(token).User != 0 || d.Token(theirs).User != 0 {
		t.Error("what a lesser one could know is good")
	}
	if _, err := d.Link(ctx, late); !errors.Is(err, signin.ErrLink) {
		t.Error("a link made before is good:", err)
	}
	testkit.Until(t, "the password to be void for good", func() bool {
		return errors.Is(d.Prove(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "there", Device: "x"}, "a tide of ropes"), signin.ErrWrong)
	})
	if has, err := d.HasSecond(ctx, ines); has || err != nil {
		t.Error("a second factor that a lesser one could have added is asked for:", err)
	}
	held.lacking = nil
	c.now = c.now.Add(2 * time.Minute)
	if d.Session(session).User != 0 || d.Token(theirs).User != 0 {
		t.Error("what was void is good again")
	}
}

// A password is void the moment it is tried, where nobody used it before.
func TestAVoidPasswordSaysSoToWhoeverKnowsIt(t *testing.T) {
	d, _ := authenticator(t, testkit.Database(t), &clock{time.Now()})
	d.Powers = &standing{}
	code, _, err := d.NewLink(ctx, ines, tomas, nil, signin.LinkLasts, "here")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.UseLink(ctx, code, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	d.Powers = &standing{[]string{"more"}}
	d.Forget()
	who := signin.Who{Name: "ines", User: ines, May: true, Address: "here"}
	if err := d.Prove(ctx, who, "wrong"); !errors.Is(err, signin.ErrWrong) {
		t.Error("it is told to whoever does not know it:", err)
	}
	if err := d.Prove(ctx, who, "a tide of ropes"); !errors.Is(err, signin.ErrVoid) {
		t.Error(err)
	}
	if err := d.Prove(ctx, who, "a tide of ropes"); !errors.Is(err, signin.ErrWrong) {
		t.Error("it is there still:", err)
	}
}

// Who guesses elsewhere keeps nobody out who comes from a browser of theirs.
func TestAKnownDeviceIsLetTryWhileOthersArePaused(t *testing.T) {
	d, _ := authenticator(t, testkit.Database(t), &clock{time.Now()})
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	device, err := d.NewDevice(ctx, ines, "")
	if err != nil {
		t.Fatal(err)
	}
	if same, err := d.NewDevice(ctx, ines, device); same != device || err != nil {
		t.Error("a known browser is known twice", err)
	}
	guess := signin.Who{Name: "ines", User: ines, May: true, Address: "10.9.9.9"}
	for d.Wait(ctx, guess) == 0 {
		_ = d.Prove(ctx, guess, "wrong")
	}
	elsewhere := signin.Who{Name: "INES", User: ines, May: true, Address: "10.1.1.1"}
	if err := d.Prove(ctx, elsewhere, "a tide of ropes"); !errors.Is(err, signin.ErrPaused) {
		t.Error("another address gets around it:", err)
	}
	elsewhere.Device = device
	if err := d.Prove(ctx, elsewhere, "a tide of ropes"); err != nil {
		t.Error("a guesser keeps a known browser out:", err)
	}
	if err := d.Prove(ctx, signin.Who{Name: "tomas", User: tomas, May: true, Address: "10.9.9.9", Device: device}, "x"); !errors.Is(err, signin.ErrWrong) {
		t.Error(err)
	}
	if err := d.Prove(ctx, signin.Who{Name: strings.Repeat("x", 4<<20), Address: "10.1.1.9"}, "x"); !errors.Is(err, signin.ErrWrong) {
		t.Error("a name nobody can have:", err)
	}
	for range 30 {
		if _, err := d.NewDevice(ctx, ines, ""); err != nil {
			t.Fatal(err)
		}
	}
}

// What has ended is deleted in time, and nothing else is.
func TestWhatHasEndedIsDeleted(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := authenticator(t, testkit.Database(t), c)
	session, _, err := d.NewSession(ctx, ines, "a browser", "here")
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := d.NewToken(ctx, ines, ines, signin.Means{}, nil, "x", "", 100*24*time.Hour, "here"); err != nil {
		t.Fatal(err)
	}
	count := func() (n int) {
		t.Helper()
		if err := pool.QueryRow(ctx, "select (select count(*) from session) + 10 * (select count(*) from token) + 100 * (select count(*) from security_event)").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	kept := signin.Kept{Events: 400 * 24 * time.Hour, Keys: 30 * 24 * time.Hour}
	if err := d.Tidy(ctx, kept); err != nil || count() != 111 || d.Session(session).User != ines {
		t.Errorf("%d left (%v)", count(), err)
	}
	c.now = c.now.Add(13 * time.Hour)
	if err := d.Tidy(ctx, kept); err != nil || count() != 110 {
		t.Errorf("%d left after the session ended (%v)", count(), err)
	}
	c.now = c.now.Add(500 * 24 * time.Hour)
	if err := d.Tidy(ctx, kept); err != nil || count() != 0 {
		t.Errorf("%d left after all has ended (%v)", count(), err)
	}
}

// While the database is away no try counts as a wrong password: whoever tried meanwhile
// signs in at once when it is back.
func TestAnOutageCountsAsNoWrongPassword(t *testing.T) {
	d, _ := authenticator(t, testkit.Database(t), &clock{time.Now()})
	if err := d.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil {
		t.Fatal(err)
	}
	who := signin.Who{Name: "ines", User: ines, May: true, Address: "10.1.1.1"}
	away, cancel := context.WithCancel(ctx)
	cancel()
	for range 200 {
		if err := d.Prove(away, who, "a tide of ropes"); err == nil || errors.Is(err, signin.ErrWrong) || errors.Is(err, signin.ErrPaused) {
			t.Fatalf("it says %v", err)
		}
	}
	if wait := d.Wait(ctx, who); wait > 0 {
		t.Errorf("they wait %s", wait)
	}
	if err := d.Prove(ctx, who, "a tide of ropes"); err != nil {
		t.Error(err)
	}
}

// lesser says that one user holds less than others.
type lesser fact.UserID

func (l lesser) Revision() int64 { return 1 }
func (l lesser) Powers(_, other fact.UserID) (all, lacking []string) {
	if other == fact.UserID(l) {
		lacking = []string{"more"}
	}
	return []string{"more"}, lacking
}

// What is added in a session is known to whoever could have opened that session, though the password
// is another's by now: a link to an identity provider, and what is added in a session by it.
func TestWhatIsAddedInASessionIsItsOpeners(t *testing.T) {
	c := &clock{time.Now()}
	d, _ := authenticator(t, testkit.Database(t), c)
	letIn := func(maker fact.UserID, password string) {
		t.Helper()
		code, _, err := d.NewLink(ctx, ines, maker, nil, signin.LinkLasts, "here")
		if err != nil {
			t.Fatal(err)
		}
		if _, err := d.UseLink(ctx, code, password, "here"); err != nil {
			t.Fatal(err)
		}
	}
	marta := fact.UserID(7)
	letIn(tomas, "a tide of ropes")
	session, _, err := d.SignIn(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "here"}, "a tide of ropes")
	if err != nil {
		t.Fatal(err)
	}
	first, err := d.AddOwnLink(ctx, "https://id.example", "first", ines, signin.Means{Text: session}, "here")
	if err != nil {
		t.Fatal(err)
	}
	letIn(marta, "a rope of tides")
	by, _, err := d.SessionByLink(ctx, first, "", false, "", "here")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.AddOwnLink(ctx, "https://other.example", "second", ines, signin.Means{Text: by}, "here"); err != nil {
		t.Fatal(err)
	}
	_, token, err := d.NewToken(ctx, ines, ines, signin.Means{Text: by}, nil, "hers", "", time.Hour, "here")
	if err != nil {
		t.Fatal(err)
	}
	own, _, err := d.SignIn(ctx, signin.Who{Name: "ines", User: ines, May: true, Address: "here"}, "a rope of tides")
	if err != nil {
		t.Fatal(err)
	}
	d.Powers = lesser(tomas)
	for subject, issuer := range map[string]string{"first": "https://id.example", "second": "https://other.example"} {
		if _, is, err := d.LinkOf(ctx, issuer, subject); is || err != nil {
			t.Errorf("the %s link, which a lesser one could have added, is good: %v", subject, err)
		}
	}
	if d.Token(token).User != 0 || d.Session(by).User != 0 {
		t.Error("what was made by way of such a link is good")
	}
	if d.Session(own).User != ines {
		t.Error("a session of hers alone is void")
	}
}
