package ledger_test

import (
	"compress/gzip"
	"encoding/json"
	"errors"
	"io"
	"os"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/roles"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
)

// fixture is a database as a program of the first format left it: the demo organisation
// with requests, reviews, a sign-off, an import, an erasure, a passed-on change, a right
// to ask for decisions and a role held for 90 days at most.
func fixture(t *testing.T) string {
	t.Helper()
	database := testkit.EmptyDatabase(t)
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.PgConn().Exec(ctx, string(unpacked(t, "testdata/format1.sql.gz"))).ReadAll(); err != nil {
		t.Fatal(err)
	}
	return database
}

func unpacked(t *testing.T, name string) []byte {
	t.Helper()
	f, err := os.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	out, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// A ledger of the first format opens, verifies, can be made again from its operations, and
// gives the same answers to 10,000 questions as it gave to the program that wrote it, on
// past days too.
func TestALedgerOfTheFirstFormatAnswersAsItDid(t *testing.T) {
	testkit.Long(t)
	database := fixture(t)
	l, pool := testkit.Ledger(t, database)
	verified := func() {
		t.Helper()
		if v, err := l.Verify(ctx, nil); err != nil || v.First != 0 || v.Revisions != l.Head().Revision {
			t.Fatalf("%+v %v", v, err)
		}
	}
	verified()
	answers := func() {
		t.Helper()
		asked, allowed := 0, 0
		past := map[int64]*access.Snapshot{}
		for d := json.NewDecoder(strings.NewReader(string(unpacked(t, "testdata/format1.answers.gz")))); ; asked++ {
			var x [6]any
			if err := d.Decode(&x); errors.Is(err, io.EOF) {
				break
			} else if err != nil {
				t.Fatal(err)
			}
			revision := int64(x[0].(float64))
			s := past[revision]
			if s == nil {
				revs, err := l.History(ctx, revisions.HistoryFilter{Number: revision}, 1)
				if err != nil || len(revs) != 1 {
					t.Fatalf("revision %d: %v", revision, err)
				}
				if s, err = l.At(ctx, revs[0].At); err != nil {
					t.Fatal(err)
				}
				past[revision] = s
			}
			action := x[3].(string)
			if x[2] == "able-roster" && action == "decide" {
				action = access.ActEvaluate
			}
			got, err := s.Check(access.Question{User: x[1].(string), Application: x[2].(string), Action: action, Path: x[4].(string), At: s.At})
			if err != nil || string(got.Reason) != x[5] {
				t.Fatalf("%v is answered %s (%v)", x, got.Reason, err)
			}
			if got.Allowed {
				allowed++
			}
		}
		if asked < 9_500 || allowed < 4_000 || asked-allowed < 3_000 || len(past) < 30 {
			t.Errorf("%d questions, %d allowed, of %d days", asked, allowed, len(past))
		}
	}
	answers()
	if err := l.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	verified()
	answers()

	// What is said of it is said in today's words.
	var old, open int
	if err := pool.QueryRow(ctx, `select (select count(*) from operation, unnest(subjects) s where s ~ '^(conflict|proposal|offer)-'),
		(select count(*) from pending_change where lines::text ~ 'offer_role|add_conflict|longest')`).Scan(&old, &open); err != nil || old+open > 0 {
		t.Errorf("%d subjects and %d pending changes speak of what was: %v", old, open, err)
	}
	revs, err := l.History(ctx, revisions.HistoryFilter{}, 100_000)
	if err != nil {
		t.Fatal(err)
	}
	verbs := map[string]int{}
	for _, r := range revs {
		for _, op := range r.Operations {
			verbs[op.Verb()]++
		}
	}
	for _, verb := range []string{"make_requestable", "request_role", "decide_items", "sign_off", "add_sod_rule", "end_sod_rule", "erase_user", "decide_request"} {
		if verbs[verb] == 0 {
			t.Errorf("the fixture has no %s", verb)
		}
	}

	// And it goes on in the second format.
	before := l.Head()
	c := &ledger.Change{Reason: "goes on", Operations: []change.Operation{&roles.AddGroup{Key: "goes-on"}}}
	if r, err := l.Commit(ctx, c, noFaults); err != nil || r.Revision != before.Revision+1 {
		t.Fatal(r, err)
	}
	verified()
}

// A program of the first format does not write into a ledger of the second, nor answer
// from it: it is told to stop.
func TestAProgramOfTheFirstFormatIsToldToStop(t *testing.T) {
	testkit.Long(t)
	_, pool := testkit.Ledger(t, fixture(t))
	for _, sql := range []string{
		"select revision, at from head",
		"select revision, hash, at, clock_timestamp() from head for update",
		"select revision, clock_timestamp() from head",
	} {
		if _, err := pool.Exec(ctx, sql); err == nil {
			t.Errorf("%s is answered", sql)
		} else if !strings.Contains(err.Error(), "stop this program") && !strings.Contains(err.Error(), "FOR UPDATE") {
			t.Errorf("%s: %v", sql, err)
		}
	}
	if _, err := pool.Exec(ctx, "select advance_head(1, 2, '', now())"); err == nil {
		t.Error("it may move the head")
	}
}
