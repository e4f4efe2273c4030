package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func teamRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/team-rules", "list-team-rules", "Who may open teams, and what they may do in them", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.TeamRuleList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.TeamRules(v)), nil
	})
	type teams struct {
		serve.AsOf
		Group string `query:"group" doc:"one team alone: key or id"`
	}
	serve.Route(s, "GET", "/teams", "list-teams", "Teams: groups that their owners manage by a team rule", func(ctx context.Context, in *teams) (*serve.Body[wire.TeamList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Teams(v, in.Group)
		return serve.Answer(out), err
	}, serve.Heavy)
}
