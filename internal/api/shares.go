package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/wire"
)

func shareRoutes(s *serve.Server) {
	type search struct {
		serve.AsOf
		serve.Paging
		Application string `query:"application" doc:"key or id"`
		Path        string `query:"path" maxLength:"500" doc:"within this resource, and those below it"`
		Role        string `query:"role" doc:"application/key, or an id"`
		User        string `query:"user" doc:"shared with this user"`
		By          string `query:"by" doc:"shared by this user"`
		Own         bool   `query:"own" doc:"the application says that what is looked at is the person's own: what they may do with their own things counts"`
		ActingFor   string `header:"Roster-Acting-For" maxLength:"100" doc:"whom the machine account acts for: what they have to do with alone"`
	}
	serve.Route(s, "GET", "/shares", "list-shares", "What is shared within single resources: what the caller shared, what is shared with them, and what they may read", func(ctx context.Context, in *search) (*serve.Body[wire.ShareList], error) {
		v, err := s.ViewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.Shares(v, questions.ShareSearch{Application: in.Application, Path: in.Path, Role: in.Role, User: in.User, By: in.By, Own: in.Own, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	}, serve.Heavy)
}
