package serve

import (
	"context"
	"strings"
	"sync"
	"time"

	"ableroster/internal/fact"

	"github.com/gofiber/fiber/v3"
)

// connections remember what each account called last and when that was written, so that the
// database hears of those that only read once a minute, and of others once a second.
type connections struct{ notes sync.Map }

// note is what an account called last.
type note struct {
	sync.Mutex
	call, why string
	written   time.Time
	waits     bool // it will be written in a moment
}

type connectionKey struct {
	account  fact.UserID
	standard string
	refused  bool
}

// mostKept bounds what is kept of a call, and of why it was refused, in bytes.
const mostKept = 500

// cut is a text of its own, as the database takes it.
func cut(s string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(s[:min(len(s), mostKept)], ""), "\x00", "")
}

// Connected notes a call by an open standard. Beside the call: what is lost when the database is
// away comes with the next.
func Connected(s *Server, c fiber.Ctx, standard, call, why string) {
	account := Caller(c.Context()).User
	if account == 0 || s.Service.Saved == nil {
		return
	}
	key, now := connectionKey{account, standard, why != ""}, time.Now()
	often := time.Second
	if why == "" && (safe(c.Method()) || standard == SpeaksAuthZEN) {
		often = time.Minute
	}
	x, _ := s.connections.notes.LoadOrStore(key, new(note))
	n := x.(*note)
	n.Lock()
	defer n.Unlock()
	wait := often - now.Sub(n.written)
	if often == time.Minute && wait > 0 {
		return
	}
	n.call, n.why = cut(call), cut(why)
	if n.waits {
		return
	}
	n.waits = true
	time.AfterFunc(max(0, wait), func() {
		n.Lock()
		call, why := n.call, n.why
		n.waits, n.written = false, time.Now()
		n.Unlock()
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if err := s.Service.Saved.Connected(ctx, account, standard, call, why); err != nil {
			s.Log.Debug("a connection was not noted", "error", err)
		}
	})
}

// The standards of connections.
const (
	SpeaksSCIM    = "SCIM"
	SpeaksAuthZEN = "AuthZEN"
)
