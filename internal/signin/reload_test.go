package signin_test

import (
	"crypto/sha256"
	"testing"
	"time"

	"ableroster/testkit"
)

// A sign-in has other programs read the keys of that user again, and nobody else's: what
// was put into the database without a word of somebody else stays unread.
func TestASignInReloadsTheKeysOfItsUserAlone(t *testing.T) {
	database := testkit.Database(t)
	c := &clock{time.Now()}
	here, pool := authenticator(t, database, c)
	there, _ := authenticator(t, database, c)
	signIn := func() {
		t.Helper()
		cookie, _, err := here.NewSession(ctx, ines, "a browser", "here")
		if err != nil {
			t.Fatal(err)
		}
		testkit.Until(t, "the other program to know the session", func() bool { return there.Session(cookie).User == ines })
	}
	signIn() // from here on the other program listens
	quietly := "a cookie nobody was told of"
	digest := sha256.Sum256([]byte(quietly))
	if _, err := pool.Exec(ctx, "insert into session (digest, user_id, expires_at) values ($1, $2, $3)", digest[:], uint32(tomas), c.now.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	signIn()
	signIn()
	if there.Session(quietly).User != 0 {
		t.Error("the keys of others were read again too")
	}
	if _, err := pool.Exec(ctx, "select pg_notify('able_roster_keys', '8')"); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the other session to be read once its user is named", func() bool { return there.Session(quietly).User == tomas })
}
