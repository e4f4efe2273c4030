package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
)

// Four SCIM clients hire, change and dismiss people at three services that are killed, and whose
// connections to the database are cut: a client that got no answer looks by its externalId whether
// it was done, as the standard has it (RFC 7643, section 3.1), and nobody is there twice, nobody is
// missing, and each has what was last said of them.
func TestSCIMKeepsItsWordThoughServicesAreKilled(t *testing.T) {
	database := testkit.DemoDatabase(t)
	f := newFleet(t, database, 3)
	rng := rand.New(rand.NewPCG(17, 7))
	p := provision(t, f.all[0], f.all[0].SignIn(t, demo.Administrator), "personnel.system", `"role":"access-administrator"`)
	for _, s := range f.all {
		testkit.Until(t, "all to know the token", func() bool {
			status, _, _ := send(t, "GET", s.Base+"/scim/v2/Users?count=0", p.token, "application/scim+json", "")
			return status == 200
		})
	}
	kills, cuts, people := 10*faults(), 10*faults(), 0
	running, end := context.WithCancel(ctx)
	// call calls any of the services until one answers for good.
	call := func(own *rand.Rand, method, path string, body m) (status int, out m) {
		for {
			_, s := f.any(own)
			once, cancel := context.WithTimeout(ctx, 20*time.Second)
			var in io.Reader
			if body != nil {
				in = strings.NewReader(asText(body))
			}
			r, err := http.NewRequestWithContext(once, method, s.Base+"/scim/v2"+path, in)
			if err != nil {
				t.Error(err)
				cancel()
				return 0, nil
			}
			r.Header.Set("Authorization", "Bearer "+p.token)
			r.Header.Set("Content-Type", "application/scim+json")
			got, err := http.DefaultClient.Do(r)
			if err == nil && got.StatusCode != 503 {
				raw, err := io.ReadAll(got.Body)
				got.Body.Close()
				cancel()
				if err == nil {
					out = m{}
					if len(raw) > 0 {
						err = json.Unmarshal(raw, &out)
					}
					if err != nil || got.StatusCode >= 500 {
						t.Errorf("%s %s: %d %s", method, path, got.StatusCode, raw)
					}
					return got.StatusCode, out
				}
			} else {
				if err == nil {
					got.Body.Close()
				}
				cancel()
			}
			time.Sleep(10 * time.Millisecond)
		}
	}
	found := func(own *rand.Rand, external string) []any {
		_, out := call(own, "GET", "/Users?filter="+url.QueryEscape(fmt.Sprintf("externalId eq %q", external)), nil)
		all, _ := out["Resources"].([]any)
		return all
	}
	patch := func(path string, value any) m {
		return m{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:PatchOp"}, "Operations": []m{{"op": "replace", "path": path, "value": value}}}
	}
	var wait sync.WaitGroup
	var mu sync.Mutex
	var done atomic.Int64
	want := map[string]string{} // the title of each, by externalId
	for w := range 4 {
		wait.Go(func() {
			own := rand.New(rand.NewPCG(27, uint64(w)))
			for i := 0; running.Err() == nil; i++ {
				external := fmt.Sprintf("%d-%d", w, i)
				status, out := call(own, "POST", "/Users", m{"schemas": []string{"urn:ietf:params:scim:schemas:core:2.0:User"}, "userName": "hired." + external, "externalId": external, "displayName": "Hired " + external, "title": "Cook"})
				if status == 409 { // an answer was lost
					all := found(own, external)
					if len(all) != 1 {
						t.Errorf("%s is taken, and there %d times: %v", external, len(all), out)
						return
					}
					out, _ = all[0].(m)
				} else if status != 201 {
					t.Errorf("%s: %d %v", external, status, out)
					return
				}
				title := fmt.Sprintf("Cook %d", i)
				if status, out := call(own, "PATCH", "/Users/"+out["id"].(string), patch("title", title)); status != 200 && status != 204 {
					t.Errorf("%s: %d %v", external, status, out)
					return
				}
				mu.Lock()
				want[external] = title
				mu.Unlock()
				done.Add(1)
			}
		})
	}
	for range kills + cuts {
		before := done.Load()
		if kills > 0 && rng.IntN(kills+cuts) < kills {
			f.kill(rng)
		} else if conn, err := pgx.Connect(ctx, database); err == nil {
			_, _ = conn.Exec(ctx, "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid() order by random() limit 2")
			_ = conn.Close(ctx)
		}
		testkit.Until(t, "the clients to go on", func() bool { return done.Load() > before || t.Failed() })
	}
	end()
	wait.Wait()
	for external, title := range want {
		people++
		all := found(rng, external)
		if len(all) != 1 || all[0].(m)["title"] != title {
			t.Errorf("%s is there %d times, as %v, and should be %s", external, len(all), all, title)
		}
	}
	_, all := call(rng, "GET", "/Users?count=0&filter="+url.QueryEscape(`userName sw "hired."`), nil)
	if n, _ := all["totalResults"].(float64); int(n) < people || int(n) > people+4 { // each client may have had one more under way
		t.Errorf("%v are there of %d", n, people)
	}
	t.Logf("%d kills and %d cuts: %d people hired and changed", kills, cuts, people)
}
