package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"ableroster/demo"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/database"
	"ableroster/internal/signin"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// program is a running service in a process of its own.
type program struct {
	cmd     *exec.Cmd
	address string
	took    time.Duration // to be ready
}

var readyAt = regexp.MustCompile(`msg=ready address=(\S+)`)

func launch(file, address string) (*program, error) {
	p := &program{cmd: exec.Command(file, "serve", "-listen", "127.0.0.1:0", "-database-url", address, "-largest-file", "256", "-second-factor", "offered")}
	out, err := p.cmd.StderrPipe()
	if err != nil {
		return nil, err
	}
	began := time.Now()
	if err := p.cmd.Start(); err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if m := readyAt.FindStringSubmatch(lines.Text()); m != nil {
			p.address, p.took = m[1], time.Since(began)
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return p, nil
		}
	}
	return nil, fmt.Errorf("the service did not start: %v", p.cmd.Wait())
}

func (p *program) stop() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

// peak is the most memory the process ever had resident, in bytes (proc(5):
// VmHWM of status).
func (p *program) peak() float64 { return p.status("VmHWM:") }

func (p *program) status(what string) float64 {
	raw, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	_, after, _ := strings.Cut(string(raw), what)
	var kib float64
	_, _ = fmt.Sscan(after, &kib)
	return kib * 1024
}

// buildService builds the service.
func buildService() (file string, remove func(), err error) {
	dir, err := os.MkdirTemp("", "bench")
	if err != nil {
		return "", nil, err
	}
	remove = func() { os.RemoveAll(dir) }
	file = filepath.Join(dir, "rosterd")
	if out, err := exec.Command("go", "build", "-o", file, "./cmd/rosterd").CombinedOutput(); err != nil {
		remove()
		return "", nil, fmt.Errorf("%w: %s", err, out)
	}
	return file, remove, nil
}

// starting measures a start of the service itself against reading the same
// rows and dropping them, and the memory it takes, also after 10,000 commits.
func starting(ctx context.Context, k *kept, _ int) ([]line, error) {
	k.ledger.Close()
	address := k.pool.Config().ConnString()
	file, remove, err := buildService()
	if err != nil {
		return nil, err
	}
	defer remove()
	token, err := administratorToken(ctx, address)
	if err != nil {
		return nil, err
	}
	var start, bare sample
	var peak float64
	for range 3 {
		p, err := launch(file, address)
		if err != nil {
			return nil, err
		}
		start, peak = append(start, p.took), max(peak, p.peak())
		p.stop()
		took, err := reading(ctx, address)
		if err != nil {
			return nil, err
		}
		bare = append(bare, took)
	}
	p, err := launch(file, address)
	if err != nil {
		return nil, err
	}
	defer p.stop()
	if err := p.commits(10_000, token); err != nil {
		return nil, err
	}
	after := p.peak()
	p.stop()
	again, err := launch(file, address)
	if err != nil {
		return nil, err
	}
	defer again.stop()
	const gib = 1 << 30
	return []line{
		{"start with 1,000,000 users and 5,000,000 assignments, against reading the same rows", start.String(), bare.String(), ratio(start.p50(), bare.p50()), "aim: at most 10 s"},
		{"the same after 10,000 commits more", short(again.took), "", "", "aim: at most 10 s"},
		{"memory at its most, after 10,000 commits against after the start", fmt.Sprintf("%.2f GiB", after/gib), fmt.Sprintf("%.2f GiB", peak/gib), fmt.Sprintf("%.2f", after/peak), "aim: at most 1.5 GB"},
	}, nil
}

// commits makes so many one-operation changes through the service.
func (p *program) commits(n int, token string) error {
	rng := rand.New(rand.NewPCG(61, 62))
	held := ""
	for range n {
		op := fmt.Sprintf(`{"op":"revoke","role":"seasonal-helper","user":%q}`, held)
		if held == "" {
			held = demo.UserName(rng.IntN(1_000_000))
			op = fmt.Sprintf(`{"op":"grant","role":"seasonal-helper","user":%q}`, held)
		} else {
			held = ""
		}
		body, _ := json.Marshal(wire.ChangeRequest{Reason: "measuring", Operations: []json.RawMessage{json.RawMessage(op)}})
		req, err := http.NewRequest("POST", p.address+"/api/v1/changes", bytes.NewReader(body))
		if err != nil {
			return err
		}
		req.Header.Set("Authorization", "Bearer "+token)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return err
		}
		answer, _ := io.ReadAll(resp.Body)
		resp.Body.Close()
		if resp.StatusCode >= 300 {
			return fmt.Errorf("a change was answered %d %s", resp.StatusCode, answer)
		}
	}
	return nil
}

// reading reads the rows a start reads, and drops them.
func reading(ctx context.Context, address string) (time.Duration, error) {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	began := time.Now()
	for _, table := range []string{"user_fact", "personal", "membership_fact", "assignment_fact"} {
		rows, err := conn.Query(ctx, "select * from "+table)
		if err != nil {
			return 0, err
		}
		for rows.Next() {
		}
		if err := rows.Err(); err != nil {
			return 0, err
		}
	}
	return time.Since(began), nil
}

func administratorToken(ctx context.Context, address string) (string, error) {
	return tokenOf(ctx, address, demo.Administrator)
}

// tokenOf is a token of somebody, for an hour.
func tokenOf(ctx context.Context, address, user string) (string, error) {
	pool, err := database.OpenPool(ctx, address)
	if err != nil {
		return "", err
	}
	defer pool.Close()
	log := slog.New(slog.DiscardHandler)
	l, err := ledger.Open(ctx, pool, log)
	if err != nil {
		return "", err
	}
	defer l.Close()
	authenticator, err := signin.Open(ctx, pool, log, time.Now)
	if err != nil {
		return "", err
	}
	defer authenticator.Close()
	id, _ := l.Head().FindUser(user)
	_, secret, err := authenticator.NewToken(ctx, id, 0, signin.Means{}, nil, "bench", "", time.Hour, "")
	return secret, err
}
