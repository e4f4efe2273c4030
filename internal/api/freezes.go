package api

import (
	"context"

	"ableroster/internal/lists"
	"ableroster/wire"
)

func (s *Server) freezeRoutes() {
	route(s, "GET", "/freezes", "list-freezes", "Times in which access is changed by those alone who are let through", func(ctx context.Context, in *AsOf) (*body[wire.FreezeList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.Freezes(v)
		return &body[wire.FreezeList]{out}, err
	})
}
