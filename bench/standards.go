package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"time"

	"ableroster/internal/fact"
	"ableroster/wire"

	"github.com/valyala/fasthttp"
)

// caller calls a service that a process of its own serves.
type caller struct {
	client         *fasthttp.HostClient
	address, token string
}

// call sends one request; want is the status it must be answered with.
func (c *caller) call(method, path string, body []byte, want int) ([]byte, error) {
	req, resp := fasthttp.AcquireRequest(), fasthttp.AcquireResponse()
	defer fasthttp.ReleaseRequest(req)
	defer fasthttp.ReleaseResponse(resp)
	req.SetRequestURI("http://" + c.address + path)
	req.Header.SetMethod(method)
	req.Header.SetContentType("application/json")
	req.Header.Set("Authorization", "Bearer "+c.token)
	req.SetBody(body)
	if err := c.client.Do(req, resp); err != nil {
		return nil, err
	}
	if resp.StatusCode() != want {
		return nil, fmt.Errorf("%s %s answers %d %s", method, path, resp.StatusCode(), resp.Body())
	}
	return slices.Clone(resp.Body()), nil
}

// measureStandards measures decisions by AuthZEN and people by SCIM.
func measureStandards(ctx context.Context, database string) ([]line, error) {
	out, err := decisions(ctx, database)
	if err != nil {
		return nil, err
	}
	more, err := provisioning(ctx, database)
	return append(out, more...), err
}

// evaluationBody is one question as AuthZEN puts it.
func evaluationBody(user, app, action, path string) map[string]any {
	return map[string]any{"subject": map[string]string{"type": "user", "id": user}, "action": map[string]string{"name": action}, "resource": map[string]string{"type": app, "id": path}}
}

func decisions(ctx context.Context, database string) ([]line, error) {
	k, err := keep(ctx, database, 1_000)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	child, address, token, err := serving(k)
	if err != nil {
		return nil, err
	}
	defer func() { _ = child.Process.Kill(); _ = child.Wait() }()
	const connections, many = 32, 50
	c := &caller{&fasthttp.HostClient{Addr: address, MaxConns: connections}, address, token}
	var plain, single, batches [][]byte
	var batch []any
	for _, q := range checkQuestions(k.ledger.Head(), 1_000, 2_000) {
		raw, _ := json.Marshal(wire.CheckRequest{User: q.User, Application: q.Application, Action: q.Action, Path: q.Path})
		plain = append(plain, raw)
		e := evaluationBody(q.User, q.Application, q.Action, q.Path)
		raw, _ = json.Marshal(e)
		single = append(single, raw)
		if batch = append(batch, e); len(batch) == many {
			raw, _ = json.Marshal(map[string]any{"evaluations": batch})
			batches, batch = append(batches, raw), nil
		}
	}
	post := func(path string, bodies [][]byte) func(w int) func() error {
		return func(w int) func() error {
			i := w
			return func() error {
				i++
				_, err := c.call("POST", path, bodies[i%len(bodies)], 200)
				return err
			}
		}
	}
	var rates [3][]float64
	for range 5 {
		for i, work := range []func(int) func() error{post("/access/v1/evaluation", single), post("/constant", plain), post("/access/v1/evaluations", batches)} {
			rate, err := throughput(connections, 2*time.Second, work)
			if err != nil {
				return nil, err
			}
			rates[i] = append(rates[i], rate)
		}
	}
	one, constant, all := middle(rates[0]), middle(rates[1]), middle(rates[2])*many
	return []line{
		{"an AuthZEN evaluation against a constant handler, requests a second", fmt.Sprintf("%.0f/s", one), fmt.Sprintf("%.0f/s", constant), fmt.Sprintf("%.2f", one/constant), "aim: at least 0.75"},
		{"50 evaluations in a request against single ones, decisions a second", fmt.Sprintf("%.0f/s", all), fmt.Sprintf("%.0f/s", one), fmt.Sprintf("%.1f", all/one), "aim: at least 10"},
	}, nil
}

func provisioning(ctx context.Context, database string) ([]line, error) {
	k, err := keep(ctx, database, 100_000)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	child, address, token, err := serving(k)
	if err != nil {
		return nil, err
	}
	defer func() { _ = child.Process.Kill(); _ = child.Wait() }()
	const clients = 10
	c := &caller{&fasthttp.HostClient{Addr: address, MaxConns: clients}, address, token}
	var ids, names []string
	for u := range k.ledger.Head().Users() {
		if u.UserKind == fact.Person && u.Status == fact.Active {
			ids, names = append(ids, u.ID.String()), append(names, u.UserName)
		}
		if len(ids) == 5_000 {
			break
		}
	}
	p95 := func(filter func(i int) string) (time.Duration, error) {
		var took []time.Duration
		for i := range 100 {
			began := time.Now()
			if _, err := c.call("GET", "/scim/v2/Users?count=50&filter="+url.QueryEscape(filter(i)), nil, 200); err != nil {
				return 0, err
			}
			took = append(took, time.Since(began))
		}
		slices.Sort(took)
		return took[94], nil
	}
	byName, err := p95(func(i int) string { return fmt.Sprintf("userName eq %q", names[i*37%len(names)]) })
	if err != nil {
		return nil, err
	}
	searched, err := p95(func(i int) string {
		return fmt.Sprintf(`title sw "%c" and active eq true and not (userName sw "%c")`, 'a'+i%26, 'a'+i*7%26)
	})
	if err != nil {
		return nil, err
	}
	next := make(chan int, 1<<20)
	for i := range cap(next) {
		next <- i
	}
	scim := func(int) func() error {
		return func() error {
			i := <-next
			body := fmt.Sprintf(`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[{"op":"replace","path":"title","value":"Title %d"}]}`, i)
			_, err := c.call("PATCH", "/scim/v2/Users/"+ids[i%len(ids)], []byte(body), 200)
			return err
		}
	}
	ours := func(int) func() error {
		return func() error {
			i := <-next
			body := fmt.Sprintf(`{"reason":"bench","operations":[{"op":"update_user","user":%q,"title":"Title %d"}]}`, ids[i%len(ids)], i)
			_, err := c.call("POST", "/api/v1/changes", []byte(body), 200)
			return err
		}
	}
	var rates [2][]float64
	for range 3 {
		for i, work := range []func(int) func() error{scim, ours} {
			rate, err := throughput(clients, 2*time.Second, work)
			if err != nil {
				return nil, err
			}
			rates[i] = append(rates[i], rate)
		}
	}
	s, o := middle(rates[0]), middle(rates[1])
	return []line{
		{"a SCIM list by user name among 100,000, p95", byName.Round(10 * time.Microsecond).String(), "", "", "aim: 50 ms"},
		{"a SCIM list by a filter over all of 100,000, p95", searched.Round(100 * time.Microsecond).String(), "", "", "aim: 50 ms"},
		{"changes by SCIM from ten clients against our own API's, a second", fmt.Sprintf("%.0f/s", s), fmt.Sprintf("%.0f/s", o), fmt.Sprintf("%.2f", s/o), "aim: at least 0.50"},
	}, nil
}
