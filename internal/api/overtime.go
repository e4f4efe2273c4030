package api

import (
	"context"
	"time"

	"ableroster/internal/questions"
	"ableroster/wire"
)

func (s *Server) overTimeRoutes() {
	type one struct {
		User string `path:"user" doc:"user name or id"`
	}
	route(s, "GET", "/users/{user}/timeline", "get-timeline", "Which roles a user held when, and through what", func(ctx context.Context, in *one) (*body[wire.RoleTimeline], error) {
		out, err := questions.RoleTimeline(ctx, s.service, caller(ctx), in.User)
		return &body[wire.RoleTimeline]{out}, err
	})
	type over struct {
		Application string    `path:"application" doc:"key or id"`
		From        time.Time `query:"from" doc:"a year before to by default"`
		To          time.Time `query:"to" doc:"now by default"`
		Points      int       `query:"points" minimum:"2" maximum:"24" default:"13" doc:"how many instants are looked at"`
	}
	route(s, "GET", "/applications/{application}/over-time", "over-time", "How many people had anything in an application, by how", func(ctx context.Context, in *over) (*body[wire.OverTime], error) {
		out, err := questions.OverTime(ctx, s.service, caller(ctx), in.Application, in.From, in.To, in.Points)
		return &body[wire.OverTime]{out}, err
	})
}
