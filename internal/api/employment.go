package api

import (
	"context"

	"ableroster/internal/lists"
	"ableroster/wire"
)

func (s *Server) employmentRoutes() {
	route(s, "GET", "/employment-types", "list-employment-types", "Employment types: which work for another company, and whose access is closed", func(ctx context.Context, in *AsOf) (*body[wire.EmploymentTypeList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return &body[wire.EmploymentTypeList]{lists.EmploymentTypes(v)}, nil
	})
	route(s, "GET", "/me/sponsored", "list-sponsored", "Whom one sponsors: people of other companies, and those whose access is closed, who report to one", func(ctx context.Context, _ *struct{}) (*body[wire.SponsoredList], error) {
		v, err := s.view(ctx, AsOf{})
		if err != nil {
			return nil, err
		}
		return &body[wire.SponsoredList]{lists.Sponsored(v)}, nil
	})
}
