package api

import (
	"context"
	"strings"
	"sync"
	"time"

	"ableroster/internal/fact"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// The standards of connections.
const (
	speaksSCIM    = "SCIM"
	speaksAuthZEN = "AuthZEN"
)

// connections remember what each account called last and when that was written, so that the
// database hears of those that only read once a minute, and of others once a second.
type connections struct{ notes sync.Map } // of connectionKey: *note

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

// connected notes a call by an open standard. Beside the call: what is lost when the database is
// away comes with the next.
func (s *Server) connected(c fiber.Ctx, standard, call, why string) {
	account := caller(c.Context()).User
	if account == 0 || s.service.Saved == nil {
		return
	}
	key, now := connectionKey{account, standard, why != ""}, time.Now()
	often := time.Second
	if why == "" && (safe(c.Method()) || standard == speaksAuthZEN) {
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
		if err := s.service.Saved.Connected(ctx, account, standard, call, why); err != nil {
			s.log.Debug("a connection was not noted", "error", err)
		}
	})
}

func (s *Server) connectionRoutes() {
	route(s, "GET", "/connections", "list-connections", "Accounts that keep people by SCIM or ask for decisions by AuthZEN: what each sent last, and what was refused", func(ctx context.Context, _ *struct{}) (*body[wire.ConnectionList], error) {
		v := s.service.Now(ctx, caller(ctx))
		all, err := s.service.Saved.Connections(ctx)
		if err != nil {
			return nil, err
		}
		out := wire.ConnectionList{Connections: []wire.Connection{}}
		for _, x := range all {
			if !v.ReadsUser(x.Account) {
				continue
			}
			y := wire.Connection{Account: v.UserRef(x.Account), Standard: x.Standard, FirstAt: x.First.UTC(), LastAt: x.Last.UTC()}
			// What was sent, and why it was refused, may name whom the account may see and the caller may not.
			if whole := v.ReadsLedger() || x.Account == v.Caller.User; !whole {
				out.Connections = append(out.Connections, y)
				continue
			}
			y.LastCall = x.Said
			if x.RefusedAt != nil {
				y.Refused = &wire.ConnectionRefusal{At: x.RefusedAt.UTC(), Call: x.RefusedCall, Why: x.RefusedWhy}
			}
			out.Connections = append(out.Connections, y)
		}
		return &body[wire.ConnectionList]{out}, nil
	})
}
