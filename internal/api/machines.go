package api

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func (s *Server) machineRoutes() {
	route(s, "GET", "/machine-accounts", "list-machine-accounts", "Machine accounts: what each is for, who is accountable for it, and when its tokens end", func(ctx context.Context, in *AsOf) (*body[wire.MachineAccountList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		tokens := map[fact.UserID]lists.TokensOf{}
		if in.AsOf.IsZero() {
			all, err := s.authenticator.GoodTokens(ctx)
			if err != nil {
				return nil, err
			}
			for id, t := range all {
				tokens[id] = lists.TokensOf{Good: t.Good, Ends: t.Ends}
			}
		}
		out, err := lists.MachineAccounts(v, tokens)
		return &body[wire.MachineAccountList]{out}, err
	})
}
