package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func sodRuleRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/sod-rules", "list-sod-rules", "Roles nobody may combine, and who does", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.SoDRuleList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.SoDRules(v)
		return serve.Answer(out), err
	})
}
