package api

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/wire"
)

func (s *Server) defaultRoutes() {
	route(s, "GET", "/defaults", "list-defaults", "The default rules: what new users get", func(ctx context.Context, in *AsOf) (*body[wire.DefaultList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.Defaults(v)
		return &body[wire.DefaultList]{out}, err
	})
	type newcomer struct {
		AsOf
		WouldBe string `query:"would_be" maxLength:"2000" doc:"the new user: a JSON object of texts: kind, and built-in attributes such as unit, title and employment_type"`
	}
	route(s, "GET", "/new-user-preview", "new-user-preview", "What a new user of some attributes would have, and why", func(ctx context.Context, in *newcomer) (*body[wire.NewUserPreview], error) {
		v, err := s.view(ctx, in.AsOf)
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
		return &body[wire.NewUserPreview]{out}, err
	})
}
