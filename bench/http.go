package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing/fstest"
	"time"

	"ableroster/demo"
	"ableroster/internal/api"
	"ableroster/internal/api/serve"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/database"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"
)

// serveChild serves the demo with a constant handler beside it, in a process
// of its own whose processor time can be told apart.
func serveChild(ctx context.Context, address string) error {
	pool, err := database.OpenPool(ctx, address)
	if err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	l, err := ledger.Open(ctx, pool, log)
	if err != nil {
		return err
	}
	authenticator, err := signin.Open(ctx, pool, log, time.Now)
	if err != nil {
		return err
	}
	id, _ := l.Head().FindUser(demo.Administrator)
	_, secret, err := authenticator.NewToken(ctx, id, 0, signin.Means{}, nil, "bench", "", time.Hour, "")
	if err != nil {
		return err
	}
	s, err := api.New(&seeing.Service{Ledger: l, Clock: time.Now, Saved: &saved.Store{Pool: pool}}, authenticator, log, fstest.MapFS{}, serve.Options{})
	if err != nil {
		return err
	}
	// Only what any handler of this server must do: read the JSON, answer.
	constant := wire.CheckAnswer{Allowed: true, Reason: "granted", Message: "A role held gives this."}
	s.App.Post("/constant", func(c fiber.Ctx) error {
		var q wire.CheckRequest
		if err := json.Unmarshal(c.Body(), &q); err != nil {
			return err
		}
		return c.JSON(constant)
	})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Println(listener.Addr(), secret)
	return s.App.Listener(listener, fiber.ListenConfig{DisableStartupMessage: true})
}

// overHTTP measures a check over HTTP, with token, counters and log, against a
// handler in the same server that reads the same JSON and answers a constant.
func overHTTP(ctx context.Context, address string) ([]line, error) {
	k, err := keep(ctx, address, 1_000)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	child, address, token, err := serving(k)
	if err != nil {
		return nil, err
	}
	defer func() { _ = child.Process.Kill(); _ = child.Wait() }()
	var bodies [][]byte
	for _, q := range checkQuestions(k.ledger.Head(), 1_000, 2_000) {
		raw, _ := json.Marshal(wire.CheckRequest{User: q.User, Application: q.Application, Action: q.Action, Path: q.Path})
		bodies = append(bodies, raw)
	}
	const connections = 32
	client := &fasthttp.HostClient{Addr: address, MaxConns: connections}
	post := func(path string) func(w int) func() error {
		return func(w int) func() error {
			i := w
			req, resp := fasthttp.AcquireRequest(), fasthttp.AcquireResponse()
			req.SetRequestURI("http://" + address + path)
			req.Header.SetMethod("POST")
			req.Header.SetContentType("application/json")
			req.Header.Set("Authorization", "Bearer "+token)
			return func() error {
				i++
				req.SetBody(bodies[i%len(bodies)])
				if err := client.Do(req, resp); err != nil {
					return err
				}
				if resp.StatusCode() != 200 {
					return fmt.Errorf("%s answers %d %s", path, resp.StatusCode(), resp.Body())
				}
				return nil
			}
		}
	}
	var rates, cpus [2][]float64
	for range 5 {
		for i, path := range []string{"/api/v1/check", "/constant"} {
			before := ticks(child.Process.Pid)
			rate, err := throughput(connections, 2*time.Second, post(path))
			if err != nil {
				return nil, err
			}
			used := ticks(child.Process.Pid) - before
			rates[i] = append(rates[i], rate)
			cpus[i] = append(cpus[i], used/(rate*2)*1e6)
		}
	}
	r0, r1, c0, c1 := middle(rates[0]), middle(rates[1]), middle(cpus[0]), middle(cpus[1])
	return []line{
		{"a check over HTTP against a constant handler, requests a second", fmt.Sprintf("%.0f/s", r0), fmt.Sprintf("%.0f/s", r1), fmt.Sprintf("%.2f", r0/r1), "aim: at least 0.80"},
		{"the same, processor time each", fmt.Sprintf("%.1f µs", c0), fmt.Sprintf("%.1f µs", c1), fmt.Sprintf("%.2f", c0/c1), "aim: at most 1.30"},
	}, nil
}

// serving is a process that serves an organisation, where, and a token for it.
func serving(k *kept) (child *exec.Cmd, address, token string, err error) {
	self, err := os.Executable()
	if err != nil {
		return nil, "", "", err
	}
	child = exec.Command(self, "-serve")
	child.Env = append(os.Environ(), "DATABASE_URL="+k.pool.Config().ConnString())
	child.Stderr = os.Stderr
	out, err := child.StdoutPipe()
	if err != nil {
		return nil, "", "", err
	}
	if err := child.Start(); err != nil {
		return nil, "", "", err
	}
	first, err := bufio.NewReader(out).ReadString('\n')
	address, token, _ = strings.Cut(strings.TrimSpace(first), " ")
	return child, address, token, err
}

// ticks is the processor time a process has used, in seconds (proc(5): fields
// 14 and 15 of stat, in hundredths).
func ticks(pid int) float64 {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0
	}
	fields := strings.Fields(string(raw[strings.LastIndexByte(string(raw), ')')+2:]))
	user, _ := strconv.ParseFloat(fields[11], 64)
	system, _ := strconv.ParseFloat(fields[12], 64)
	return (user + system) / 100
}
