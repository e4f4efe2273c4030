package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/workflows"
	"ableroster/wire"
)

func requestRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/today", "today", "What waits for the caller", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.Today], error) {
		return serve.Answer(workflows.Today(s.Service.Now(ctx, serve.Caller(ctx)))), nil
	})
	type catalogue struct {
		Query string `query:"q" maxLength:"200" doc:"what one wants to do"`
		User  string `query:"user" doc:"for whom: oneself by default, or one of one's people"`
	}
	serve.Route(s, "GET", "/catalogue", "list-catalogue", "The access catalogue: requestable roles", func(ctx context.Context, in *catalogue) (*serve.Body[wire.Catalogue], error) {
		out, err := workflows.Catalogue(s.Service.Now(ctx, serve.Caller(ctx)), in.Query, in.User)
		return serve.Answer(out), err
	})
	type oneOffer struct {
		Role string `path:"role" doc:"application/key with the slash escaped, a key, or an id"`
		User string `query:"user" doc:"for whom: oneself by default, or one of one's people"`
	}
	serve.Route(s, "GET", "/catalogue/{role}", "get-catalogue-role", "One requestable role, with what it would add", func(ctx context.Context, in *oneOffer) (*serve.Body[wire.OneCatalogueRole], error) {
		out, err := workflows.CatalogueRole(s.Service.Now(ctx, serve.Caller(ctx)), in.Role, in.User)
		return serve.Answer(out), err
	})
	type search struct {
		serve.AsOf
		serve.Paging
		State  string `query:"state" enum:"waiting,approved,refused,withdrawn"`
		Mine   bool   `query:"mine" doc:"asked by the caller, or for them"`
		Decide bool   `query:"decide" doc:"those that wait for the caller"`
		User   string `query:"user" doc:"for this user"`
		Role   string `query:"role" doc:"of this role"`
	}
	serve.Route(s, "GET", "/requests", "list-requests", "Requests the caller has to do with, or may read", func(ctx context.Context, in *search) (*serve.Body[wire.RequestList], error) {
		v, err := s.ViewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Requests(v, workflows.RequestSearch{State: in.State, Mine: in.Mine, Decide: in.Decide, User: in.User, Role: in.Role, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	})
	type one struct {
		serve.AsOf
		Request string `path:"request" doc:"id"`
	}
	serve.Route(s, "GET", "/requests/{request}", "get-request", "One request, with what it would add", func(ctx context.Context, in *one) (*serve.Body[wire.OneRequest], error) {
		v, err := s.ViewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Request(v, in.Request)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/routes", "list-routes", "Routes of approval", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.RouteList], error) {
		v, err := s.ViewWhole(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Routes(v)
		return serve.Answer(out), err
	})
}
