package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/wire"
)

func defaultRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/defaults", "list-defaults", "The default rules: what new users get", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.DefaultList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.Defaults(v)
		return serve.Answer(out), err
	})
	type newcomer struct {
		serve.AsOf
		WouldBe string `query:"would_be" maxLength:"2000" doc:"the new user: a JSON object of texts: kind, and built-in attributes such as unit, title and employment_type"`
	}
	serve.Route(s, "GET", "/new-user-preview", "new-user-preview", "What a new user of some attributes would have, and why", func(ctx context.Context, in *newcomer) (*serve.Body[wire.NewUserPreview], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		u, err := wouldBe(in.WouldBe)
		if err != nil {
			return nil, err
		}
		if u == nil {
			u = &fact.User{}
		}
		out, err := questions.NewUserPreview(v, *u)
		return serve.Answer(out), err
	})
}
