package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func employmentRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/employment-types", "list-employment-types", "Employment types: which work for another company, and whose access is closed", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.EmploymentTypeList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.EmploymentTypes(v)), nil
	})
	serve.Route(s, "GET", "/me/sponsored", "list-sponsored", "Whom one sponsors: people of other companies, and those whose access is closed, who report to one", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.SponsoredList], error) {
		v, err := s.View(ctx, serve.AsOf{})
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.Sponsored(v)), nil
	})
}
