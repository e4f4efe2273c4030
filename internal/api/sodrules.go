package api

import (
	"context"

	"ableroster/internal/lists"
	"ableroster/wire"
)

func (s *Server) sodRuleRoutes() {
	route(s, "GET", "/sod-rules", "list-sod-rules", "Roles nobody may combine, and who does", func(ctx context.Context, in *AsOf) (*body[wire.SoDRuleList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.SoDRules(v)
		return &body[wire.SoDRuleList]{out}, err
	})
}
