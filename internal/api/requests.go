package api

import (
	"context"

	"ableroster/internal/workflows"
	"ableroster/wire"
)

func (s *Server) requestRoutes() {
	route(s, "GET", "/today", "today", "What waits for the caller", func(ctx context.Context, _ *struct{}) (*body[wire.Today], error) {
		return &body[wire.Today]{workflows.Today(s.service.Now(ctx, caller(ctx)))}, nil
	})
	type catalogue struct {
		Query string `query:"q" maxLength:"200" doc:"what one wants to do"`
		User  string `query:"user" doc:"for whom: oneself by default, or one of one's people"`
	}
	route(s, "GET", "/catalogue", "list-catalogue", "The access catalogue: requestable roles", func(ctx context.Context, in *catalogue) (*body[wire.Catalogue], error) {
		out, err := workflows.Catalogue(s.service.Now(ctx, caller(ctx)), in.Query, in.User)
		return &body[wire.Catalogue]{out}, err
	})
	type oneOffer struct {
		Role string `path:"role" doc:"application/key with the slash escaped, a key, or an id"`
		User string `query:"user" doc:"for whom: oneself by default, or one of one's people"`
	}
	route(s, "GET", "/catalogue/{role}", "get-catalogue-role", "One requestable role, with what it would add", func(ctx context.Context, in *oneOffer) (*body[wire.OneCatalogueRole], error) {
		out, err := workflows.CatalogueRole(s.service.Now(ctx, caller(ctx)), in.Role, in.User)
		return &body[wire.OneCatalogueRole]{out}, err
	})
	type search struct {
		AsOf
		Paging
		State  string `query:"state" enum:"waiting,approved,refused,withdrawn"`
		Mine   bool   `query:"mine" doc:"asked by the caller, or for them"`
		Decide bool   `query:"decide" doc:"those that wait for the caller"`
		User   string `query:"user" doc:"for this user"`
		Role   string `query:"role" doc:"of this role"`
	}
	route(s, "GET", "/requests", "list-requests", "Requests the caller has to do with, or may read", func(ctx context.Context, in *search) (*body[wire.RequestList], error) {
		v, err := s.viewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Requests(v, workflows.RequestSearch{State: in.State, Mine: in.Mine, Decide: in.Decide, User: in.User, Role: in.Role, Cursor: in.Cursor, Limit: in.Limit})
		return &body[wire.RequestList]{out}, err
	})
	type one struct {
		AsOf
		Request string `path:"request" doc:"id"`
	}
	route(s, "GET", "/requests/{request}", "get-request", "One request, with what it would add", func(ctx context.Context, in *one) (*body[wire.OneRequest], error) {
		v, err := s.viewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Request(v, in.Request)
		return &body[wire.OneRequest]{out}, err
	})
	route(s, "GET", "/routes", "list-routes", "Routes of approval", func(ctx context.Context, in *AsOf) (*body[wire.RouteList], error) {
		v, err := s.viewWhole(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Routes(v)
		return &body[wire.RouteList]{out}, err
	})
}
