package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"strings"
	"time"

	"ableroster/demo"
	"ableroster/wire"

	"github.com/valyala/fasthttp"
)

// asking sends calls to a running service over one connection.
type asking struct {
	client  *fasthttp.HostClient
	address string
	token   string
	program *program
}

func (a *asking) call(method, path string, body any, out any) error {
	req, resp := fasthttp.AcquireRequest(), fasthttp.AcquireResponse()
	defer fasthttp.ReleaseRequest(req)
	defer fasthttp.ReleaseResponse(resp)
	req.SetRequestURI(a.address + "/api/v1" + path)
	req.Header.SetMethod(method)
	req.Header.Set("Authorization", "Bearer "+a.token)
	switch b := body.(type) {
	case nil:
	case []byte:
		req.Header.SetContentType("text/csv")
		req.SetBody(b)
	default:
		raw, err := json.Marshal(b)
		if err != nil {
			return err
		}
		req.Header.SetContentType("application/json")
		req.SetBody(raw)
	}
	if err := a.client.Do(req, resp); err != nil {
		return fmt.Errorf("%s %s: %w", method, path, err)
	}
	if resp.StatusCode() >= 300 {
		return fmt.Errorf("%s %s answers %d %.300s", method, path, resp.StatusCode(), resp.Body())
	}
	if at := resp.Header.Peek("Location"); resp.StatusCode() == 202 && len(at) > 0 {
		return a.ended(strings.TrimPrefix(string(at), "/api/v1"), out)
	}
	if out != nil {
		return json.Unmarshal(resp.Body(), out)
	}
	return nil
}

// ended waits for an import that takes longer than a call may.
func (a *asking) ended(path string, out any) error {
	for {
		time.Sleep(200 * time.Millisecond)
		var is struct {
			Ended   *time.Time
			Result  json.RawMessage
			Problem json.RawMessage
		}
		if err := a.call("GET", path, nil, &is); err != nil {
			return err
		}
		switch {
		case is.Ended == nil:
		case is.Result == nil:
			return fmt.Errorf("the import ended with %.300s", is.Problem)
		default:
			return json.Unmarshal(is.Result, out)
		}
	}
}

// ask reaches a program as its administrator.
func ask(p *program, token string) *asking {
	u, _ := url.Parse(p.address)
	return &asking{&fasthttp.HostClient{Addr: u.Host, MaxConns: 8, MaxResponseBodySize: 64 << 20}, p.address, token, p}
}

// running makes an organisation and serves it.
func running(ctx context.Context, database string, users int) (k *kept, a *asking, stop func(), err error) {
	k, all, stop, err := several(ctx, database, users, 1)
	if err != nil {
		return nil, nil, nil, err
	}
	return k, all[0], stop, nil
}

// several is running by so many services.
func several(ctx context.Context, database string, users, n int) (k *kept, all []*asking, stop func(), err error) {
	if k, err = keep(ctx, database, users); err != nil {
		return nil, nil, nil, err
	}
	stop = k.drop
	fail := func(err error) (*kept, []*asking, func(), error) {
		stop()
		return nil, nil, nil, err
	}
	file, remove, err := buildService()
	if err != nil {
		return fail(err)
	}
	defer remove() // a program that runs needs its file no more
	where := k.pool.Config().ConnString()
	token, err := administratorToken(ctx, where)
	if err != nil {
		return fail(err)
	}
	for range n {
		p, err := launch(file, where)
		if err != nil {
			return fail(err)
		}
		drop := stop
		stop = func() {
			p.stop()
			drop()
		}
		all = append(all, ask(p, token))
	}
	return k, all, stop, nil
}

// measureLists measures each list as the console asks for it, over loopback, of an
// organisation of 100,000 users, against a row read by its key.
func measureLists(ctx context.Context, database string) ([]line, error) {
	const users = 100_000
	k, a, stop, err := running(ctx, database, users)
	if err != nil {
		return nil, err
	}
	defer stop()
	view := wire.ViewRequest{Label: "Measured", Search: wire.ViewSearch{Filter: `within eq "terminal" and title co "crane"`, Sort: "-start_date"}, Columns: []string{"name", "unit", "title", "start_date"}}
	if err := a.call("PUT", "/views/measured", view, nil); err != nil {
		return nil, err
	}
	rng := rand.New(rand.NewPCG(6, 11))
	query := func(filter string) string { return "/users?limit=200&filter=" + url.QueryEscape(filter) }
	bare := func() error {
		var name string
		return k.pool.QueryRow(ctx, "select unit from user_fact where id >= $1 and closed is null order by id limit 1", 1+rng.IntN(users)).Scan(&name)
	}
	const byLastDay = "/users?limit=200&sort=-end_date"
	middle := ""
	for range users / 200 / 2 {
		var page struct{ Next string }
		if err := a.call("GET", byLastDay+middle, nil, &page); err != nil {
			return nil, err
		}
		middle = "&cursor=" + url.QueryEscape(page.Next)
	}
	var out []line
	for _, x := range []struct {
		what string
		path func() string
	}{
		{"users, first page by name", func() string { return "/users?limit=200" }},
		{"users, a page in the middle, by last day", func() string { return byLastDay + middle }},
		{"users of a unit", func() string { return "/users?limit=200&unit=marine&sort=title" }},
		{"users searched for a text", func() string { return "/users?limit=200&q=" + url.QueryEscape(demo.UserName(rng.IntN(users))[:5]) }},
		{"users of a text nobody has", func() string { return "/users?limit=200&q=zzyzx" }},
		{"users by a filter of attributes", func() string { return query(`within eq "terminal" and title co "crane" and not (email ew "@example")`) }},
		{"users by a filter of dates", func() string { return query(`start_date ge "2020-01-01" and (end_date pr or status eq "suspended")`) }},
		{"users by a filter of what they hold", func() string { return query(`roles[key eq "crane-control/lock-keeper"]`) }},
		{"users by a filter of groups", func() string { return query(fmt.Sprintf(`groups[key eq "team-%d-crew"]`, rng.IntN(1000))) }},
		{"users of a group", func() string { return fmt.Sprintf("/users?limit=200&group=team-%d-crew", rng.IntN(1000)) }},
		{"the saved view", func() string {
			return "/users?limit=200&sort=-start_date&filter=" + url.QueryEscape(view.Search.Filter)
		}},
		{"the saved views", func() string { return "/views" }},
		{"groups", func() string { return "/groups" }},
		{"members of a group, with why", func() string { return fmt.Sprintf("/groups/team-%d-crew/members?limit=100", rng.IntN(1000)) }},
		{"roles", func() string { return "/roles" }},
		{"assignments", func() string { return "/assignments?limit=100" }},
		{"delegations", func() string { return "/delegations" }},
		{"revisions", func() string { return "/revisions?limit=50" }},
		{"one user", func() string { return "/users/" + demo.UserName(rng.IntN(users)) }},
		{"two users compared", func() string {
			return "/users/" + demo.UserName(rng.IntN(users)) + "/comparison?with=" + demo.UserName(rng.IntN(users))
		}},
		{"find anything", func() string { return "/search?q=" + demo.UserName(rng.IntN(users))[:4] }},
	} {
		do := func() error { return a.call("GET", x.path(), nil, nil) }
		if err := do(); err != nil { // whatever is made at the first call
			return nil, err
		}
		ours, against, err := inTurn(60, do, bare)
		if err != nil {
			return nil, err
		}
		note := "third: p95; aim: 50 ms"
		out = append(out, line{x.what + ", 100,000 users, against a row by its key", fmt.Sprintf("%s / %s", ours, short(ours.quantile(0.95))), fmt.Sprintf("%s / %s", against, short(against.quantile(0.95))), ratio(ours.p50(), against.p50()), note})
	}
	return out, nil
}
