package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func machineRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/machine-accounts", "list-machine-accounts", "Machine accounts: what each is for, who is accountable for it, and when its tokens end", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.MachineAccountList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		tokens := map[fact.UserID]lists.TokensOf{}
		if in.AsOf.IsZero() {
			all, err := s.Authenticator.GoodTokens(ctx)
			if err != nil {
				return nil, err
			}
			for id, t := range all {
				tokens[id] = lists.TokensOf{Good: t.Good, Ends: t.Ends}
			}
		}
		out, err := lists.MachineAccounts(v, tokens)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/shared-accounts", "list-shared-accounts", "Accounts that people use in turn: who has each, until when, and whether its secret was changed after use", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.SharedAccountList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.SharedAccounts(v)), nil
	})
}
