package standards

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/wire"
)

// of connectionKey: *note

// ConnectionRoutes registers the call that lists connections.
func ConnectionRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/connections", "list-connections", "Accounts that keep people by SCIM or ask for decisions by AuthZEN: what each sent last, and what was refused", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.ConnectionList], error) {
		v := s.Service.Now(ctx, serve.Caller(ctx))
		all, err := s.Service.Saved.Connections(ctx)
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
		return serve.Answer(out), nil
	})
}
