package api

import (
	"context"

	"ableroster/internal/lists"
	"ableroster/wire"
)

func (s *Server) unitRoutes() {
	type unitsOf struct {
		AsOf
		Role string `query:"role" doc:"count too how many hold this role, through whatever"`
	}
	route(s, "GET", "/units", "list-units", "The organisation's units, with who leads them and how many are in each", func(ctx context.Context, in *unitsOf) (*body[wire.UnitList], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Units(v, in.Role)
		return &body[wire.UnitList]{out}, err
	}, heavy)
}
