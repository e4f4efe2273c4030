package signin_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"ableroster/internal/sealed"
	"ableroster/internal/signin"
	"ableroster/testkit"

	"github.com/pquerna/otp/totp"
)

// A session that nobody uses ends, and not one that is used, by way of another service too.
func TestAnIdleSessionEnds(t *testing.T) {
	database := testkit.Database(t)
	c := &clock{time.Now()}
	here, pool := authenticator(t, database, c)
	elsewhere, _ := authenticator(t, database, c)
	here.Idle, elsewhere.Idle = time.Hour, time.Hour
	cookie, _, err := here.NewSession(ctx, ines, "a browser", "here")
	if err != nil {
		t.Fatal(err)
	}
	other, _, err := here.NewSession(ctx, ines, "another browser", "here")
	if err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the other service knows", func() bool { return elsewhere.Session(cookie).User == ines && elsewhere.Session(other).User == ines })
	written := func() bool {
		var at time.Time
		err := pool.QueryRow(ctx, "select max(used_at) from session").Scan(&at)
		return err == nil && c.now.Sub(at) < time.Millisecond
	}
	for range 3 { // used through one service alone, for longer than an hour
		c.now = c.now.Add(50 * time.Minute)
		if elsewhere.Session(cookie).User != ines {
			t.Fatal("a session that is used ended")
		}
		testkit.Until(t, "the use is written", written)
	}
	if here.Session(cookie).User != ines {
		t.Error("a session that another service saw used ended")
	}
	if here.Session(other).User != 0 {
		t.Error("a session is good that nobody used for hours")
	}
	if all, err := here.Sessions(ctx, ines, cookie); err != nil || len(all) != 1 || !all[0].Here {
		t.Errorf("listed: %+v, %v", all, err)
	}
	c.now = c.now.Add(-2 * time.Hour) // it does not come back
	testkit.Until(t, "it is gone from the database", func() bool {
		var n int
		return pool.QueryRow(ctx, "select count(*) from session").Scan(&n) == nil && n == 1
	})
	if here.Session(other).User != 0 {
		t.Error("a session that ended is good again")
	}
	testkit.Until(t, "the other service knows", func() bool { return elsewhere.Session(other).User == 0 })
}

// The secrets of one-time codes are sealed once there is a key, work as before, and are of no
// use without it.
func TestSecretsOfCodesAreSealed(t *testing.T) {
	c := &clock{time.Now()}
	d, pool := authenticator(t, testkit.Database(t), c)
	secret, _, err := d.BeginSecond(ctx, ines, "Larkhaven", "ines")
	if err != nil {
		t.Fatal(err)
	}
	code := func() string {
		out, err := totp.GenerateCode(secret, c.now)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	if _, err := d.ConfirmSecond(ctx, ines, signin.Means{}, code(), "here"); err != nil {
		t.Fatal(err)
	}
	kept := func() (out []byte) {
		if err := pool.QueryRow(ctx, "select secret from second_factor").Scan(&out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	path := filepath.Join(t.TempDir(), "key")
	key := func(text string) *sealed.Box {
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		box, err := sealed.ReadKeys(path)
		if err != nil {
			t.Fatal(err)
		}
		return box
	}
	one := sealed.NewKey()
	if d.Secrets = key(one); !bytes.Contains(kept(), []byte(secret)) {
		t.Fatal("the test does not see the secret")
	}
	for _, keys := range []string{one, sealed.NewKey() + one} { // sealed, and sealed anew
		before := kept()
		d.Secrets = key(keys)
		if lost, err := d.SealSecrets(ctx); lost > 0 || err != nil {
			t.Fatalf("%d lost, %v", lost, err)
		}
		if after := kept(); bytes.Contains(after, []byte(secret)) || bytes.Equal(before, after) {
			t.Error("the secret lies open, or as it was")
		}
		c.now = c.now.Add(time.Minute)
		if err := d.ProveSecond(ctx, ines, code(), "here"); err != nil {
			t.Errorf("a right code: %v", err)
		}
	}
	for _, box := range []*sealed.Box{nil, key(sealed.NewKey())} {
		d.Secrets = box
		if lost, err := d.SealSecrets(ctx); lost != 1 || err != nil {
			t.Errorf("without its key: %d lost, %v", lost, err)
		}
		c.now = c.now.Add(time.Minute)
		if err := d.ProveSecond(ctx, ines, code(), "here"); err == nil || errors.Is(err, signin.ErrCode) {
			t.Errorf("a code is judged without its secret: %v", err)
		}
	}
	if _, _, err := d.BeginSecond(ctx, tomas, "Larkhaven", "tomas"); err != nil {
		t.Fatal(err)
	}
	var open int
	if err := pool.QueryRow(ctx, "select count(*) from second_factor where get_byte(secret, 0) <> 1").Scan(&open); err != nil || open > 0 {
		t.Errorf("%d lie open, %v", open, err)
	}
}
