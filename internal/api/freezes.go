package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func freezeRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/freezes", "list-freezes", "Times in which access is changed by those alone who are let through", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.FreezeList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.Freezes(v)
		return serve.Answer(out), err
	})
}
