package api

import (
	"context"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/wire"
)

func overTimeRoutes(s *serve.Server) {
	type one struct {
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "GET", "/users/{user}/timeline", "get-timeline", "Which roles a user held when, and through what", func(ctx context.Context, in *one) (*serve.Body[wire.RoleTimeline], error) {
		out, err := questions.RoleTimeline(ctx, s.Service, serve.Caller(ctx), in.User)
		return serve.Answer(out), err
	})
	type over struct {
		Application string    `path:"application" doc:"key or id"`
		From        time.Time `query:"from" doc:"a year before to by default"`
		To          time.Time `query:"to" doc:"now by default"`
		Points      int       `query:"points" minimum:"2" maximum:"24" default:"13" doc:"how many instants are looked at"`
	}
	serve.Route(s, "GET", "/applications/{application}/over-time", "over-time", "How many people had access to an application over time, and through what", func(ctx context.Context, in *over) (*serve.Body[wire.OverTime], error) {
		out, err := questions.OverTime(ctx, s.Service, serve.Caller(ctx), in.Application, in.From, in.To, in.Points)
		return serve.Answer(out), err
	})
}
