package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func unitRoutes(s *serve.Server) {
	type unitsOf struct {
		serve.AsOf
		Role string `query:"role" doc:"count too how many hold this role, through whatever"`
	}
	serve.Route(s, "GET", "/units", "list-units", "The organisation's units, with who leads them and how many are in each", func(ctx context.Context, in *unitsOf) (*serve.Body[wire.UnitList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Units(v, in.Role)
		return serve.Answer(out), err
	}, serve.Heavy)
}
