package testkit

import (
	"io"
	"net"
	"net/url"
	"sync"
	"testing"
)

// SilentLine is a way to a database that can be cut without a word: what was connected
// then stays so, and hears and says nothing more. What connects later is served.
func SilentLine(t testing.TB, database string) (address string, silence func()) {
	t.Helper()
	u, err := url.Parse(database)
	if err != nil {
		t.Fatal(err)
	}
	to := u.Host
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	var mu sync.Mutex
	now := make(chan struct{})
	go func() {
		for {
			a, err := l.Accept()
			if err != nil {
				return
			}
			b, err := net.Dial("tcp", to)
			if err != nil {
				a.Close()
				continue
			}
			mu.Lock()
			cut := now
			mu.Unlock()
			go pass(a, b, cut)
			go pass(b, a, cut)
		}
	}()
	u.Host = l.Addr().String()
	return u.String(), func() {
		mu.Lock()
		defer mu.Unlock()
		close(now)
		now = make(chan struct{})
	}
}

func pass(from, to net.Conn, cut chan struct{}) {
	defer to.Close()
	buf := make([]byte, 32<<10)
	for {
		n, err := from.Read(buf)
		select {
		case <-cut: // heard, and passed on to nobody
			_, _ = io.Copy(io.Discard, from)
			return
		default:
		}
		if n > 0 {
			if _, err := to.Write(buf[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}
