package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func refusalRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/refusals", "list-refusals", "What was tried and refused in the last 90 days", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.RefusalList], error) {
		out, err := changing.Refusals(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	})
	type search struct {
		serve.Paging
		User string `query:"user" maxLength:"200" doc:"only what this user did, or what is about them: user name or id"`
	}
	serve.Route(s, "GET", "/security-log", "list-security-log", "Who signed in, who tried to, and who was given a way to sign in, newest first", func(ctx context.Context, in *search) (*serve.Body[wire.SecurityLog], error) {
		out, err := lists.SecurityLog(ctx, s.Service, serve.Caller(ctx), in.User, in.Cursor, in.Limit, func(user fact.UserID, before int64, limit int) ([]lists.SecurityEvent, error) {
			all, err := s.Authenticator.Events(ctx, user, before, limit)
			var out []lists.SecurityEvent
			for _, e := range all {
				out = append(out, lists.SecurityEvent(e))
			}
			return out, err
		})
		return serve.Answer(out), err
	}, serve.Steady)
}
