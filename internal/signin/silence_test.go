package signin_test

import (
	"log/slog"
	"testing"
	"time"

	"ableroster/internal/ledger/migrations"
	"ableroster/internal/signin"
	"ableroster/testkit"
)

// What ends while the line to the database is dead without a word is noticed all the same:
// nobody goes on with a token that was ended elsewhere.
func TestWhatEndsDuringASilentBreakIsNoticed(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	c := &clock{time.Now()}
	here, _ := authenticator(t, database, c)
	_, token, err := here.NewToken(ctx, ines, 0, signin.Means{}, nil, "a token", "", time.Hour, "here")
	if err != nil {
		t.Fatal(err)
	}
	line, silence := testkit.SilentLine(t, database)
	pool := testkit.Pool(t, line)
	if err := migrations.Migrate(ctx, pool); err != nil {
		t.Fatal(err)
	}
	there, err := signin.Open(ctx, pool, slog.New(slog.DiscardHandler), c.read)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(there.Close)
	if there.Token(token).User != ines {
		t.Fatal("the other program does not know the token")
	}
	silence()
	if err := here.SetPassword(ctx, ines, "a tide of ropes", "here"); err != nil { // ends her tokens
		t.Fatal(err)
	}
	testkit.Until(t, "the token to end at the other program", func() bool { return there.Token(token).User == 0 })
}
