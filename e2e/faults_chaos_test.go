package e2e

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// faults is how many times the counts of a fault are done: make faults sets it.
func faults() int {
	n, _ := strconv.Atoi(os.Getenv("ROSTER_FAULTS"))
	return max(1, n)
}

// fleet are services on one database that are killed and started again.
type fleet struct {
	t        *testing.T
	database string
	token    string
	mu       sync.Mutex
	all      []*testkit.Service
}

func newFleet(t *testing.T, database string, n int) *fleet {
	f := &fleet{t: t, database: database}
	for range n {
		f.all = append(f.all, testkit.Serve(t, database))
	}
	f.signIn(0)
	return f
}

// signIn lets the fleet in at one of the services, and waits until all know of it.
func (f *fleet) signIn(at int) {
	f.token = f.all[at].SignIn(f.t, demo.Administrator).Token
	for _, s := range f.all {
		testkit.Until(f.t, "all to know the token", func() bool {
			_, err := (&client.Client{Base: s.Base, Token: f.token}).Me(ctx)
			return err == nil
		})
	}
}

func (f *fleet) any(rng *rand.Rand) (int, *testkit.Service) {
	f.mu.Lock()
	defer f.mu.Unlock()
	i := rng.IntN(len(f.all))
	return i, f.all[i]
}

// kill kills one and starts another in its place.
func (f *fleet) kill(rng *rand.Rand) {
	i, s := f.any(rng)
	s.Kill()
	next := testkit.Serve(f.t, f.database)
	f.mu.Lock()
	defer f.mu.Unlock()
	f.all[i] = next
}

// may says whether an error is one that a fault excuses: the service could not be reached,
// or says that it cannot do it now.
func (f *fleet) may(what string, err error) bool {
	var p *wire.Problem
	switch {
	case errors.Is(err, client.ErrNotReached):
		return true
	case errors.As(err, &p) && p.Status == 503:
		return true
	case what == "import" && errors.As(err, &p) && strings.Contains(p.Detail, "of yours are under way"):
		time.Sleep(50 * time.Millisecond) // those whose answers were cut off go on by themselves
		return true
	}
	f.t.Errorf("%s: %v", what, err)
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, s := range f.all { // what they said of it, before they are killed
		for line := range strings.Lines(s.Output()) {
			if strings.Contains(line, "level=ERROR") {
				f.t.Log(strings.TrimSpace(line))
			}
		}
	}
	return false
}

// change makes a change at any of the services, again and again under one key, until one
// answers it. None is asked that does not know of what its caller has seen.
func (f *fleet) change(ctx context.Context, rng *rand.Rand, seen *int64, key string, ops ...string) (wire.ChangeResult, bool) {
	for ctx.Err() == nil {
		_, s := f.any(rng)
		c := &client.Client{Base: s.Base, Token: f.token, AtLeast: *seen}
		once, cancel := context.WithTimeout(ctx, 15*time.Second)
		var out wire.ChangeResult
		err := c.DoKeyed(once, key, "POST", "/changes", nil, changeOf("beside faults", ops...), &out)
		cancel()
		if err == nil {
			*seen = out.Revision
			return out, true
		}
		if ctx.Err() == nil && !f.may(key, err) {
			return out, false
		}
		time.Sleep(10 * time.Millisecond)
	}
	return wire.ChangeResult{}, false
}

// Three services on one database, which are killed, paused and cut off while they commit
// and import, as is the database: nothing that was answered is lost or doubled, nobody is
// let in by a service that was told of the revoke, no call fails otherwise than it should,
// and the ledger verifies.
func TestNothingIsLostOrDoubledWhateverFails(t *testing.T) {
	n := faults()
	kills, crashes, backends, pauses := 8*n, n, 10*n, 2*n
	if n > 1 {
		kills, crashes, pauses = 10*n, 2*n, n
	}
	cluster := testkit.NewCluster(t)
	testkit.LoadDemo(t, cluster.Database)
	f := newFleet(t, cluster.Database, 3)
	running, end := context.WithCancel(ctx)
	var wait sync.WaitGroup
	var answered, denied, imported atomic.Int64
	var mu sync.Mutex
	made := map[string]int64{}
	whole := map[int]bool{} // the imports, and which of them were answered
	// So much for each fault: or the ledger grows all the while that a service starts, and each
	// start takes longer than the one before.
	rounds, files := make(chan struct{}, 20), make(chan struct{}, 1)
	more := func() {
		for len(rounds) < cap(rounds) {
			rounds <- struct{}{}
		}
		select {
		case files <- struct{}{}:
		default:
		}
	}
	for w := range 4 {
		wait.Go(func() {
			rng := rand.New(rand.NewPCG(71, uint64(w)))
			user := fmt.Sprintf("beside.%d", w)
			var seen int64
			f.change(running, rng, &seen, "joins-"+user, fmt.Sprintf(`{"op":"add_user","user_name":%q}`, user))
			for i := 0; await(running, rounds); i++ {
				key := fmt.Sprintf("w%d-n%d", w, i)
				out, ok := f.change(running, rng, &seen, key, fmt.Sprintf(`{"op":"add_group","key":%q}`, key), grantTo(user, "crane-control/operator"))
				if !ok {
					return
				}
				mu.Lock()
				made[key] = out.Revision
				mu.Unlock()
				answered.Add(1)
				gone, ok := f.change(running, rng, &seen, key+"-ends", revokeOf(user, "crane-control/operator"))
				if !ok {
					return
				}
				_, s := f.any(rng)
				other := &client.Client{Base: s.Base, Token: f.token, AtLeast: gone.Revision}
				answer, err := other.Check(running, wire.CheckRequest{User: user, Application: "crane-control", Action: "operate", Path: "cranes/c-01"})
				switch {
				case running.Err() != nil:
				case err != nil:
					f.may("check", err)
				case answer.Allowed:
					t.Errorf("%s is allowed at revision %d, revoked by %d", user, answer.Revision, gone.Revision)
				default:
					denied.Add(1)
				}
			}
		})
	}
	wait.Go(func() {
		rng := rand.New(rand.NewPCG(81, 82))
		for i := 0; await(running, files); i++ {
			var b strings.Builder
			b.WriteString("user_name,unit\n")
			for k := range importSize(i) {
				fmt.Fprintf(&b, "import.%d.%d,office\n", i, k)
			}
			mu.Lock()
			whole[i] = false
			mu.Unlock()
			_, s := f.any(rng)
			c := &client.Client{Base: s.Base, Token: f.token}
			if _, err := c.ImportUsers(running, []byte(b.String()), client.Query{"reason": "beside faults"}); err == nil {
				imported.Add(1)
				mu.Lock()
				whole[i] = true
				mu.Unlock()
			} else if running.Err() == nil {
				f.may("import", err)
			}
		}
	})
	rng := rand.New(rand.NewPCG(91, 92))
	type fault struct {
		left int
		do   func()
	}
	all := []*fault{
		{kills, func() { f.kill(rng) }},
		{crashes, func() { cluster.Kill(t) }},
		{backends, func() {
			conn, err := pgx.Connect(ctx, cluster.Database)
			if err != nil {
				return
			}
			defer conn.Close(ctx)
			_, _ = conn.Exec(ctx, "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid() order by random() limit 1")
		}},
		{pauses, func() {
			_, s := f.any(rng)
			s.Pause(time.Duration(500+rng.IntN(2000)) * time.Millisecond)
		}},
	}
	for done := 0; done < kills+crashes+backends+pauses && !t.Failed(); {
		x := all[rng.IntN(len(all))]
		if x.left == 0 {
			continue
		}
		x.left--
		done++
		before := answered.Load()
		more()
		x.do()
		more()
		testkit.Until(t, "the service to go on", func() bool { return answered.Load() > before || t.Failed() })
		if done%100 == 0 {
			t.Logf("%d faults, %d changes answered", done, answered.Load())
		}
	}
	end()
	wait.Wait()
	t.Logf("%d kills of a service, %d of the database, %d of a connection, %d pauses: %d changes answered, %d denied after a revoke, %d imports", kills, crashes, backends, pauses, answered.Load(), denied.Load(), imported.Load())
	conn, err := pgx.Connect(ctx, cluster.Database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	for key, revision := range made {
		var times int
		var at int64
		if err := conn.QueryRow(ctx, "select count(*), coalesce(min(revision), 0) from operation where verb = 'add_group' and body::jsonb->>'key' = $1", key).Scan(&times, &at); err != nil || times != 1 || at != revision {
			t.Fatalf("%s was answered with revision %d, and is there %d times, in revision %d: %v", key, revision, times, at, err)
		}
	}
	testkit.Until(t, "the rows of large changes to be there", func() bool {
		var so bool
		return conn.QueryRow(ctx, "select rows_through = revision and rows_of is null from ledger_head").Scan(&so) == nil && so
	})
	_, s := f.any(rng)
	c := &client.Client{Base: s.Base, Token: f.token}
	if v, err := c.Verify(ctx, nil); err != nil || !v.Verified || v.Rows != v.Revision {
		t.Errorf("%+v %v", v, err)
	}
	there := map[int]int{}
	for cursor := ""; ; {
		page, err := c.Users(ctx, client.Query{"filter": `user_name sw "import."`, "limit": "500", "cursor": cursor})
		if err != nil {
			t.Fatal(err)
		}
		for _, u := range page.Users {
			var i int
			if _, err := fmt.Sscanf(u.UserName, "import.%d.", &i); err != nil {
				t.Fatal(u.UserName, err)
			}
			there[i]++
		}
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	for i, answered := range whole {
		if n := there[i]; n != importSize(i) && (answered || n != 0) {
			t.Errorf("of import %d (answered: %v) %d users of %d are there", i, answered, n, importSize(i))
		}
	}
	var left int
	if err := conn.QueryRow(ctx, "select count(*) from operation o where revision < 0 and not exists (select from revision where staged = -o.revision) and not exists (select from staging where id = -o.revision)").Scan(&left); err != nil || left > 0 {
		t.Errorf("%d operations belong to nothing: %v", left, err)
	}
}

// await takes one of what is to be done, and says whether there was one before the end.
func await(running context.Context, next <-chan struct{}) bool {
	select {
	case <-next:
		return running.Err() == nil
	case <-running.Done():
		return false
	}
}

// importSize is how many users an import beside faults has: every third is a large change.
func importSize(i int) int {
	if i%3 == 0 {
		return 1200
	}
	return 200
}

// An older state is restored under three services that go on committing, again and again:
// all of them find it out, start again by themselves, and come to one history that
// verifies.
func TestRestoresUnderRunningServices(t *testing.T) {
	restores := 2 * faults()
	if faults() > 1 {
		restores = faults()
	}
	database := testkit.DemoDatabase(t)
	pool := testkit.Pool(t, database)
	f := newFleet(t, database, 3)
	rng := rand.New(rand.NewPCG(101, 102))
	for round := range restores {
		f.signIn(round % 3)
		running, end := context.WithCancel(ctx)
		var wait sync.WaitGroup
		var answered atomic.Int64
		for w := range 3 {
			own := rand.New(rand.NewPCG(uint64(round), uint64(w)))
			wait.Go(func() {
				for i := 0; running.Err() == nil; i++ {
					s := f.all[own.IntN(3)]
					c := &client.Client{Base: s.Base, Token: f.token}
					key := fmt.Sprintf("r%d-w%d-n%d", round, w, i)
					if _, err := c.Change(running, changeOf("x", fmt.Sprintf(`{"op":"add_group","key":%q}`, key)), false); err == nil {
						answered.Add(1)
					} else {
						time.Sleep(5 * time.Millisecond) // refused for a while, until everybody signs in anew
					}
				}
			})
		}
		testkit.Until(t, "some changes", func() bool { return answered.Load() > int64(6+rng.IntN(10)) })
		var head int64
		if err := pool.QueryRow(ctx, "select revision from ledger_head").Scan(&head); err != nil {
			t.Fatal(err)
		}
		var began []int
		for _, s := range f.all {
			began = append(began, strings.Count(s.Output(), "msg=ready"))
		}
		testkit.Rewind(t, pool, head-1-int64(rng.IntN(4)))
		for i, s := range f.all {
			testkit.Until(t, "all to start again", func() bool { return strings.Count(s.Output(), "msg=ready") > began[i] })
			testkit.Until(t, "nobody to be signed in", func() bool {
				var p *wire.Problem
				_, err := (&client.Client{Base: s.Base, Token: f.token}).Me(ctx)
				return errors.As(err, &p) && p.Status == 401
			})
		}
		end()
		wait.Wait()
	}
	marks := map[string]bool{}
	for _, s := range f.all {
		c := s.SignIn(t, demo.Administrator)
		c.Heard = func(mark string) { marks[mark] = true }
		if _, err := c.Me(ctx); err != nil {
			t.Error(err)
		}
	}
	c := f.all[0].SignIn(t, demo.Administrator)
	if v, err := c.Verify(ctx, nil); err != nil || !v.Verified || len(marks) != 1 {
		t.Errorf("%+v %v; the services are at %v", v, err, marks)
	}
	t.Logf("%d restores under three services", restores)
}
