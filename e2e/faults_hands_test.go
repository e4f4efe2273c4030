package e2e

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Many people at two services work on the same few things at once, each with their
// own rights. Whatever is answered as done is in the ledger, once, under who did it
// and with their reason; what is refused left nothing; the ledger verifies, both
// services say the same, and the preview of what nobody disturbed was what came.
func TestManyHandsAtOnce(t *testing.T) {
	database := testkit.DemoDatabase(t)
	services := []*testkit.Service{testkit.Serve(t, database), testkit.Serve(t, database)}
	marta := services[0].SignIn(t, demo.Administrator)
	before, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	who := []string{demo.Administrator, demo.Manager, demo.Pilot, demo.Administrator, demo.Manager, demo.Administrator}
	users := []string{"ines.halloran", "b.osei", "tomas.brandt"}
	roles := []string{"berth-planning/reader", "berth-planning/scheduler", "incident-log/reader", "tide-board/editor"}
	operation := func(rng *rand.Rand, n int) string {
		user, role := users[rng.IntN(len(users))], roles[rng.IntN(len(roles))]
		return []string{
			grantTo(user, role), revokeOf(user, role),
			fmt.Sprintf(`{"op":"update_user","user":%q,"title":"Title %d"}`, user, n),
			fmt.Sprintf(`{"op":"add_member","group":"regatta-volunteers","user":%q}`, user), fmt.Sprintf(`{"op":"remove_member","group":"regatta-volunteers","user":%q}`, user),
			fmt.Sprintf(`{"op":"update_role","role":"tide-board/editor","description":"As of %d"}`, n),
			fmt.Sprintf(`{"op":"add_user","user_name":"hand.%d"}`, n%40),
			`{"op":"add_permission","role":"tide-board/editor","actions":["update"],"pattern":"tides"}`,
		}[rng.IntN(8)]
	}
	type done struct {
		reason, by string
		revision   int64
	}
	var mu sync.Mutex
	var all []done
	codes := map[int]int{}
	var hands sync.WaitGroup
	for h, name := range who {
		s := services[h%2]
		c := s.SignIn(t, name)
		hands.Go(func() {
			rng := rand.New(rand.NewPCG(7420, uint64(h)))
			for i := range 60 {
				reason := fmt.Sprintf("hand %d does %d", h, i)
				ops := []string{operation(rng, h*1000+i)}
				if rng.IntN(3) == 0 {
					ops = append(ops, operation(rng, h*1000+i+500))
				}
				req := acknowledged(changeOf(reason, ops...), "wide_gain", "wide_loss", "expectation_warned", "violation_warned", "direct_assignment", "own_access_lowered")
				var r wire.ChangeResult
				var err error
				if rng.IntN(2) == 0 { // asked twice under one key, as after a lost answer
					key := fmt.Sprintf("%d-%d", h, i)
					err = c.DoKeyed(ctx, key, "POST", "/changes", nil, req, &r)
					var again wire.ChangeResult
					if err2 := c.DoKeyed(ctx, key, "POST", "/changes", nil, req, &again); err == nil && (err2 != nil || again.Revision != r.Revision || again.Unchanged != r.Unchanged || !again.Repeated) {
						t.Errorf("%s: revision %d, asked again %d (%v)", reason, r.Revision, again.Revision, err2)
					} else if err != nil && err2 == nil { // refused, and let in once others had changed what was in its way
						r, err = again, nil
					}
				} else {
					r, err = c.Change(ctx, req, false)
				}
				mu.Lock()
				var p *wire.Problem
				switch {
				case err == nil && !r.Unchanged:
					all = append(all, done{reason, name, r.Revision})
				case errors.As(err, &p):
					codes[p.Status]++
				case err != nil:
					t.Errorf("%s: %v", reason, err)
				}
				mu.Unlock()
			}
		})
	}
	hands.Wait()
	for code := range codes {
		if !slices.Contains([]int{403, 409, 422}, code) {
			t.Errorf("answered with %d", code)
		}
	}
	slices.SortFunc(all, func(a, b done) int { return int(a.revision - b.revision) })
	for i, x := range all {
		if x.revision != before.Revision+int64(i)+1 {
			t.Fatalf("%q is revision %d, the %d-th after %d", x.reason, x.revision, i+1, before.Revision)
		}
	}
	if len(all) < 60 || codes[403] == 0 || codes[422] == 0 {
		t.Errorf("%d done, %v", len(all), codes)
	}
	for n, s := range services {
		c := s.SignIn(t, demo.Administrator)
		c.AtLeast = before.Revision + int64(len(all))
		kept := 0
		for cursor := ""; ; {
			page, err := c.Revisions(ctx, client.Query{"limit": "100", "cursor": cursor})
			if err != nil {
				t.Fatal(err)
			}
			for _, r := range page.Revisions {
				if r.Revision <= before.Revision {
					continue
				}
				kept++
				x := all[r.Revision-before.Revision-1]
				if r.Reason != x.reason || r.By == nil || r.By.Key != x.by || len(r.Sentences) == 0 {
					t.Errorf("service %d: revision %d is %q by %v, answered to %q by %s", n, r.Revision, r.Reason, r.By, x.reason, x.by)
				}
			}
			if cursor = page.Next; cursor == "" || page.Revisions[len(page.Revisions)-1].Revision <= before.Revision {
				break
			}
		}
		if kept != len(all) {
			t.Errorf("service %d keeps %d, %d were answered", n, kept, len(all))
		}
		if v, err := c.Verify(ctx, nil); err != nil || !v.Verified {
			t.Errorf("service %d: %+v (%v)", n, v, err)
		}
	}
	var answers [2]string
	for n, s := range services {
		c := s.SignIn(t, demo.Administrator)
		c.AtLeast = before.Revision + int64(len(all))
		for _, path := range []string{"/users.csv", "/memberships.csv", "/assignments.csv", "/roster-file", "/grid.csv?application=tide-board"} {
			_, _, raw := ask(t, c, "GET", path, "")
			answers[n] += string(raw)
		}
	}
	if answers[0] != answers[1] || !strings.Contains(answers[0], "hand.") {
		t.Error("the two services tell", firstDifference(answers[0], answers[1]))
	}
}
