package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/demo"
	"ableroster/wire"

	"github.com/valyala/fasthttp"
)

// refused measures what somebody costs the others who may do nothing, and asks for the
// largest things 20 times a second over several connections: the others' checks and
// commits, while they do against while they do not, and the memory it takes. The others,
// whoever asks and the service share the machine's processors.
func refused(ctx context.Context, database string) ([]line, error) {
	const users, attackers, asked = 10_000, 4, 20 // so many a second
	admin, secret, stop, err := besideOne(ctx, database, users)
	if err != nil {
		return nil, err
	}
	defer stop()
	var change wire.ChangeRequest
	change.Reason = "I may not"
	for i := range 2_000 {
		change.Operations = append(change.Operations, []byte(fmt.Sprintf(`{"op":"add_group","key":"mine-%d"}`, i)))
	}
	large := append([]byte("user_name,title\n"), bytes.Repeat([]byte("crew.0000001,Deckhand\n"), 10<<20/22)...)
	var out []line
	for _, x := range []struct {
		what, path string
		token      string
		body       any
	}{
		{"a refused change of 2,000 operations", "/changes", secret, change},
		{"a refused file of 10 MB", "/imports/users?dry_run=true", secret, large},
		{"a refused body of 10 MB, of nobody who is known", "/check", "", large},
	} {
		attacker := &asking{&fasthttp.HostClient{Addr: admin.client.Addr, MaxConns: attackers}, admin.address, x.token, admin.program}
		var quiet, busy sample
		var tries int64
		before := admin.program.resident()
		admin.program.forgetPeak()
		for range 4 {
			if err := others(admin, users, 2*time.Second, &quiet); err != nil {
				return nil, err
			}
			var done atomic.Bool
			var wait sync.WaitGroup
			for range attackers {
				wait.Go(func() {
					for tick := time.NewTicker(attackers * time.Second / asked); !done.Load(); <-tick.C {
						if err := attacker.call("POST", x.path, x.body, nil); err == nil {
							panic(x.what + " was not refused")
						}
						atomic.AddInt64(&tries, 1)
					}
				})
			}
			err := others(admin, users, 2*time.Second, &busy)
			done.Store(true)
			wait.Wait()
			if err != nil {
				return nil, err
			}
		}
		took := max(0, admin.program.peak()-before)
		out = append(out, line{x.what + ": others' checks and commits, meanwhile against alone", busy.String(), quiet.String(),
			ratio(busy.p99(), quiet.p99()), fmt.Sprintf("of p99; aim: at most 2; %d refused a second; %.0f MB at the peak; aim: at most 64 MB", tries/8, took/(1<<20))})
	}
	return out, nil
}

// others ask for decisions, and commit one change in ten, for a while.
func others(a *asking, users int, last time.Duration, into *sample) error {
	rng := rand.New(rand.NewPCG(11, uint64(len(*into))))
	for began, n := time.Now(), 0; time.Since(began) < last; n++ {
		user := demo.UserName(rng.IntN(users))
		t := time.Now()
		var err error
		if n%10 == 9 {
			err = a.call("POST", "/changes", wire.ChangeRequest{Reason: "Measured", Operations: rawOps(fmt.Sprintf(`{"op":"update_user","user":%q,"title":"Hand %d"}`, user, rng.IntN(1_000_000)))}, nil)
		} else {
			err = a.call("POST", "/check", wire.CheckRequest{User: user, Application: "crane-control", Action: "operate", Path: "cranes/c-01"}, nil)
		}
		if err != nil {
			return err
		}
		*into = append(*into, time.Since(t))
	}
	return nil
}

// silent measures how long refusals and answers take that must not tell what is outside
// the caller's part: about somebody who is there and whom they may not see, against
// somebody who is not there at all.
func silent(ctx context.Context, database string) ([]line, error) {
	const users, calls = 10_000, 1_000
	admin, secret, stop, err := besideOne(ctx, database, users)
	if err != nil {
		return nil, err
	}
	defer stop()
	a := &asking{admin.client, admin.address, secret, admin.program}
	there := demo.UserName(4_321)
	not := there[:len(there)-1] + "x" // as near to all the others
	refusal := func(method, path string, body any) func() error {
		return func() error {
			err := a.call(method, path, body, nil)
			if err != nil && !strings.Contains(err.Error(), " answers 4") {
				return err
			}
			return nil
		}
	}
	var out []line
	for _, x := range []struct {
		what string
		ask  func(user string) func() error
	}{
		{"a user", func(u string) func() error { return refusal("GET", "/users/"+u, nil) }},
		{"a change of a user", func(u string) func() error {
			return refusal("POST", "/changes?dry_run=true", wire.ChangeRequest{Operations: rawOps(fmt.Sprintf(`{"op":"update_user","user":%q,"title":"x"}`, u))})
		}},
		{"a group by a filter", func(u string) func() error {
			return refusal("POST", "/changes?dry_run=true", wire.ChangeRequest{Operations: rawOps(fmt.Sprintf(`{"op":"add_group","key":"mine","filter":"user_name eq \"%s\""}`, u), `{"op":"grant","group":"mine","role":"crane-control/operator"}`)})
		}},
		{"a search", func(u string) func() error { return refusal("GET", "/search?q="+url.QueryEscape(u), nil) }},
		{"a decision", func(u string) func() error {
			return refusal("POST", "/check", wire.CheckRequest{User: u, Application: "crane-control", Action: "operate", Path: "cranes/c-01"})
		}},
	} {
		hidden, nobody, err := inTurn(calls, x.ask(there), x.ask(not))
		if err != nil {
			return nil, err
		}
		out = append(out, line{x.what + ", of somebody hidden against somebody who is not there, 1,000 calls", hidden.String(), nobody.String(), ratio(hidden.p50(), nobody.p50()), "of medians; aim: 0.90 to 1.10"})
	}
	return out, nil
}

// besideOne is running with the token of somebody who may nothing.
func besideOne(ctx context.Context, database string, users int) (admin *asking, secret string, stop func(), err error) {
	k, admin, stop, err := running(ctx, database, users)
	if err != nil {
		return nil, "", nil, err
	}
	if secret, err = tokenOf(ctx, k.pool.Config().ConnString(), demo.UserName(17)); err != nil {
		stop()
	}
	return admin, secret, stop, err
}

func rawOps(ops ...string) (out []json.RawMessage) {
	for _, op := range ops {
		out = append(out, json.RawMessage(op))
	}
	return out
}

// resident is the memory the process has resident now, in bytes (proc(5): VmRSS).
func (p *program) resident() float64 { return p.status("VmRSS:") }

// forgetPeak lets the peak begin anew (proc(5): clear_refs).
func (p *program) forgetPeak() {
	_ = os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", p.cmd.Process.Pid), []byte("5"), 0o600)
}
