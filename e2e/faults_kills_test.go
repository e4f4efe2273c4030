package e2e

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// kills is how often the service is killed while it commits.
const kills = 100

// Killed at any moment, the service has every revision it answered, none by
// half, and the chain verifies.
func TestKilledWhileCommitting(t *testing.T) {
	database := testkit.DemoDatabase(t)
	rng := rand.New(rand.NewPCG(11, 12))
	var mu sync.Mutex
	answered := map[int64]string{} // revision → the group it made
	s := testkit.Serve(t, database)
	token := s.SignIn(t, demo.Administrator).Token
	for round := range kills {
		if round > 0 {
			s = testkit.Serve(t, database)
		}
		c := &client.Client{Base: s.Base, Token: token}
		enough := make(chan struct{})
		var once sync.Once
		left := 1 + rng.IntN(30)
		var wait sync.WaitGroup
		for w := range 4 {
			wait.Go(func() {
				for i := 0; ; i++ {
					key := fmt.Sprintf("k%d-w%d-n%d", round, w, i)
					r, err := c.Change(ctx, changeOf("Killed or not", fmt.Sprintf(`{"op":"add_group","key":%q}`, key),
						fmt.Sprintf(`{"op":"add_member","group":%q,"user":"ines.halloran"}`, key)), false)
					if err != nil {
						if !errors.Is(err, client.ErrNotReached) {
							t.Errorf("%s: %v", key, err)
						}
						return
					}
					mu.Lock()
					answered[r.Revision] = key
					if left--; left <= 0 {
						once.Do(func() { close(enough) })
					}
					mu.Unlock()
				}
			})
		}
		<-enough
		s.Kill()
		wait.Wait()
		if t.Failed() {
			return
		}
	}
	s = testkit.Serve(t, database)
	c := &client.Client{Base: s.Base, Token: token}
	v, err := c.Verify(ctx, nil)
	if err != nil || !v.Verified {
		t.Fatalf("%+v %v", v, err)
	}
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	for n, key := range answered {
		var got string
		var ops int
		err := conn.QueryRow(ctx, `select min(body::jsonb->>'key'), count(*) from operation where revision = $1`, n).Scan(&got, &ops)
		if err != nil || got != key || ops != 2 {
			t.Fatalf("revision %d was answered for %s and holds %s in %d operations (%v)", n, key, got, ops, err)
		}
	}
	if len(answered) < kills {
		t.Errorf("only %d revisions were answered", len(answered))
	}
	t.Logf("%d kills, %d revisions answered, %d in the ledger", kills, len(answered), v.Revision)
}

// While the database is away, questions are answered from the snapshot and
// changes are refused; when it is back, all goes on without a restart.
func TestTheDatabaseGoesAwayAndComesBack(t *testing.T) {
	cluster := testkit.NewCluster(t)
	loaded := testkit.LoadDemo(t, cluster.Database)
	s := testkit.Serve(t, cluster.Database)
	marta := s.SignIn(t, demo.Administrator)
	get := func(path string) *http.Response {
		req, _ := http.NewRequest("GET", s.Base+path, nil)
		req.Header.Set("Authorization", "Bearer "+marta.Token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		return resp
	}
	ready := func() string {
		resp, err := http.Get(s.Base + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		var b [256]byte
		n, _ := resp.Body.Read(b[:])
		return string(b[:n])
	}
	before, err := marta.Access(ctx, demo.Pilot, nil)
	if err != nil {
		t.Fatal(err)
	}

	cluster.Stop(t)
	if !allowed(t, marta, demo.Pilot, "berth-planning", "read", "board") || allowed(t, marta, demo.Pilot, "crane-control", "unlock", "locks") {
		t.Error("checks are answered otherwise without the database")
	}
	if now, err := marta.Access(ctx, demo.Pilot, nil); err != nil || now.Things != before.Things || now.Revision != before.Revision {
		t.Errorf("access without the database: %+v %v", now.Basis, err)
	}
	resp := get("/api/v1/users")
	if resp.StatusCode != 200 || resp.Header.Get("Roster-Revision") != fmt.Sprint(before.Revision) {
		t.Errorf("the list without the database: %d at %s", resp.StatusCode, resp.Header.Get("Roster-Revision"))
	}
	testkit.Until(t, "the age to tell that the database is away", func() bool { return strings.Contains(ready(), `"database":false`) })
	if age, err := strconv.ParseFloat(get("/api/v1/users").Header.Get("Roster-Age"), 64); err != nil || age < 5 {
		t.Errorf("the answers claim to be %v s old (%v)", age, err)
	}
	_, err = marta.Change(ctx, changeOf("x", grantTo(demo.Pilot, "tide-board/editor")), false)
	problem(t, err, 503, "unavailable")
	req, _ := http.NewRequest("POST", s.Base+"/api/v1/changes", strings.NewReader(`{"reason":"x","operations":[{"op":"add_group","key":"x"}]}`))
	req.Header.Set("Authorization", "Bearer "+marta.Token)
	req.Header.Set("Content-Type", "application/json")
	if resp, err := http.DefaultClient.Do(req); err != nil || resp.StatusCode != 503 || resp.Header.Get("Retry-After") == "" {
		t.Errorf("a change without the database: %v %v", resp, err)
	}
	_, err = (&client.Client{Base: s.Base}).SignIn(ctx, demo.Pilot, demo.Password, "test")
	problem(t, err, 503, "unavailable")
	_, err = marta.Users(ctx, client.Query{}.AsOf(time.Now().AddDate(0, -3, 0)))
	problem(t, err, 503, "unavailable")
	late := testkit.Begin(t, cluster.Database) // waits for it
	testkit.Until(t, "the second service to say that it waits", func() bool { return strings.Contains(late.Output(), "cannot be opened yet") })

	cluster.Start(t)
	late.Ready(t)
	testkit.Until(t, "changes to be taken again", func() bool {
		r, err := marta.Change(ctx, changeOf("Back again", grantTo(demo.Pilot, "tide-board/editor")), false)
		return err == nil && r.Revision == loaded+1
	})
	testkit.Until(t, "the head to be fresh again", func() bool { return strings.Contains(ready(), `"database":true`) })
	if !allowed(t, marta, demo.Pilot, "tide-board", "update", "tides") {
		t.Error("granted after the database came back, and denied")
	}
	if v, err := marta.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}

// A database that takes no changes is told as such, and is no reason to send calls here;
// questions are answered, and nobody's password counts as wrong.
func TestAReadOnlyDatabaseIsToldAsSuch(t *testing.T) {
	cluster := testkit.NewCluster(t)
	testkit.LoadDemo(t, cluster.Database)
	s := testkit.Serve(t, cluster.Database)
	marta := s.SignIn(t, demo.Administrator)
	pool := testkit.Pool(t, cluster.Database)
	shut := func(on bool) {
		t.Helper()
		for _, sql := range []string{"set default_transaction_read_only = off", fmt.Sprintf("alter system set default_transaction_read_only = %v", on), "select pg_reload_conf()"} {
			if _, err := pool.Exec(ctx, sql); err != nil {
				t.Fatal(err)
			}
		}
	}
	ready := func() (int, string) {
		resp, err := http.Get(s.Base + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		body, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, string(body)
	}
	if status, body := ready(); status != 200 {
		t.Errorf("at first: %d %s", status, body)
	}
	shut(true)
	testkit.Until(t, "it is not ready", func() bool {
		status, body := ready()
		return status == 503 && strings.Contains(body, "read-only")
	})
	if !allowed(t, marta, demo.Pilot, "berth-planning", "read", "board") {
		t.Error("checks are answered otherwise")
	}
	_, err := marta.Change(ctx, changeOf("x", grantTo(demo.Pilot, "tide-board/editor")), false)
	if p := problem(t, err, 503, "unavailable"); !strings.Contains(p.Detail, "read-only") {
		t.Errorf("a change: %s", p.Detail)
	}
	for range 12 { // as many as would pause an account
		_, err = (&client.Client{Base: s.Base}).SignIn(ctx, demo.Manager, demo.Password, "test")
		problem(t, err, 503, "unavailable")
	}
	shut(false)
	testkit.Until(t, "it is ready again", func() bool { status, _ := ready(); return status == 200 })
	if _, err := marta.Change(ctx, changeOf("Back again", grantTo(demo.Pilot, "tide-board/editor")), false); err != nil {
		t.Error(err)
	}
	if _, err := (&client.Client{Base: s.Base}).SignIn(ctx, demo.Manager, demo.Password, "test"); err != nil {
		t.Errorf("the sign-ins meanwhile counted: %v", err)
	}
}

// Asked to stop, the service finishes what was begun and ends with code 0.
func TestStoppingFinishesWhatWasBegun(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	begun := make(chan struct{})
	var once sync.Once
	var mu sync.Mutex
	answered := map[int64]bool{}
	var wait sync.WaitGroup
	for w := range 8 {
		wait.Go(func() {
			for i := 0; ; i++ {
				r, err := marta.Change(ctx, changeOf("x", fmt.Sprintf(`{"op":"add_group","key":"w%d-n%d"}`, w, i)), false)
				var p *wire.Problem
				switch {
				case err == nil:
					mu.Lock()
					answered[r.Revision] = true
					mu.Unlock()
					once.Do(func() { close(begun) })
				case errors.Is(err, client.ErrNotReached), errors.As(err, &p) && p.Status == 503:
					return
				default:
					t.Error(err)
					return
				}
			}
		})
	}
	<-begun
	s.Stop(t)
	wait.Wait()
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	var last int64
	if err := conn.QueryRow(ctx, "select revision from ledger_head").Scan(&last); err != nil {
		t.Fatal(err)
	}
	for n := range answered {
		if n > last {
			t.Errorf("revision %d was answered; the ledger ends at %d", n, last)
		}
	}
}

func TestRecoveryOnTheHostIsRecorded(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	for _, ops := range [][]string{
		{`{"op":"update_user","user":"tomas.brandt","status":"departed"}`},
		{`{"op":"add_role","key":"other-administrator"}`, `{"op":"add_permission","role":"other-administrator","application":"able-roster","actions":["*"],"pattern":"/"}`, grantTo(demo.Administrator, "other-administrator")},
		{`{"op":"retire_role","role":"access-administrator"}`},
	} {
		req := changeOf("x", ops...)
		req.Acknowledge = []string{"administering_gain", "own_access_lowered"}
		if _, err := marta.Change(ctx, req, false); err != nil {
			t.Fatal(err)
		}
	}
	out := testkit.Run(t, "a rope of tides\n", "rosterd", "recover", "-database-url", database, "-user", demo.Manager, "-password")
	if !strings.Contains(out, "tomas.brandt is an active administrator again") {
		t.Fatal(out)
	}
	// The running service follows, and lets him in by the new password.
	c := &client.Client{Base: s.Base}
	testkit.Until(t, "him to be let in", func() bool {
		token, err := c.SignIn(context.Background(), demo.Manager, "a rope of tides", "test")
		c.Token = token.Secret
		return err == nil
	})
	revs, err := c.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil || revs.Revisions[0].By != nil || revs.Revisions[0].Via != "recovery on the host" {
		t.Errorf("%+v %v", revs, err)
	}
	if out := testkit.Run(t, "", "rosterd", "recover", "-database-url", database, "-user", demo.Manager); !strings.Contains(out, "already") {
		t.Error(out)
	}
	if v, err := c.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}

// A service stops within the time it is given though its database hangs.
func TestAServiceStopsWhileItsDatabaseHangs(t *testing.T) {
	line, silence := testkit.SilentLine(t, testkit.DemoDatabase(t))
	const given = 4 * time.Second
	s := testkit.Serve(t, line, "-stop-wait", given.String(), "-heads-to", filepath.Join(t.TempDir(), "heads"))
	marta := s.SignIn(t, demo.Administrator)
	silence()
	var wait sync.WaitGroup
	defer wait.Wait()
	asked, giveUp := context.WithCancel(ctx)
	defer giveUp()
	for i := range 8 {
		wait.Go(func() {
			_, _ = marta.Change(asked, changeOf("hangs", fmt.Sprintf(`{"op":"add_user","user_name":"hangs.%d"}`, i)), false)
		})
	}
	testkit.Until(t, "a change to hang", func() bool {
		_, err := marta.Me(ctx)
		return err == nil
	})
	began := time.Now()
	s.Stop(t)
	t.Logf("stopped after %s", time.Since(began))
	if took := time.Since(began); took > 3*given {
		t.Errorf("it took %s, and was given %s", took, given)
	}
}
