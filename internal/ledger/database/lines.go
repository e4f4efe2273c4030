package database

import (
	"context"
	"net"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
)

// lines are the connections of a pool as the network has them. A line may fall silent
// without a word: its host still acknowledges what is sent and nothing comes back, or
// something in between does so. Whoever waits for an answer there would wait as long as
// they may; once the follower finds its own line silent, the others are looked at too.
type lines struct {
	mu  sync.Mutex
	all map[*line]struct{}
}

// line is one of them.
type line struct {
	net.Conn
	of      *lines
	mu      sync.Mutex
	waiting time.Time // since when an answer is waited for; zero while none is
}

// linesOf are those of each pool that OpenPool opened.
var linesOf sync.Map // *pgxpool.Pool to *lines

// dial opens a line.
func (x *lines) dial(by *net.Dialer) func(ctx context.Context, network, address string) (net.Conn, error) {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		c, err := by.DialContext(ctx, network, address)
		if err != nil {
			return nil, err
		}
		l := &line{Conn: c, of: x}
		x.mu.Lock()
		defer x.mu.Unlock()
		x.all[l] = struct{}{}
		return l, nil
	}
}

// Read implements net.Conn.
func (l *line) Read(b []byte) (int, error) {
	l.wait(time.Now())
	n, err := l.Conn.Read(b)
	l.wait(time.Time{})
	return n, err
}

func (l *line) wait(since time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.waiting = since
}

// Close implements net.Conn.
func (l *line) Close() error {
	l.of.mu.Lock()
	delete(l.of.all, l)
	l.of.mu.Unlock()
	return l.Conn.Close()
}

// cut closes the lines on which nothing was heard for a while, though it is waited for.
func (x *lines) cut(silent time.Duration) {
	x.mu.Lock()
	var all []*line
	for l := range x.all {
		l.mu.Lock()
		if !l.waiting.IsZero() && time.Since(l.waiting) > silent {
			all = append(all, l)
		}
		l.mu.Unlock()
	}
	x.mu.Unlock()
	for _, l := range all {
		l.Close()
	}
}

// CutSilent closes the lines of a pool that fell silent, and has it open others.
func CutSilent(pool *pgxpool.Pool) {
	if x, ok := linesOf.Load(pool); ok {
		x.(*lines).cut(AnswersIn)
	}
	pool.Reset()
}

// ForgetLines forgets the lines of a pool that is used no more.
func ForgetLines(pool *pgxpool.Pool) { linesOf.Delete(pool) }
