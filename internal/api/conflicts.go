package api

import (
	"context"

	"ableroster/wire"
)

func (s *Server) conflictRoutes() {
	route(s, "GET", "/conflicts", "list-conflicts", "Roles nobody may combine, and who does", func(ctx context.Context, in *AsOf) (*body[wire.ConflictList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := v.Conflicts()
		return &body[wire.ConflictList]{out}, err
	})
}
