package api

import (
	"context"
	"encoding/json"

	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// recorded keeps what somebody who is signed in tried to change and may not. A dry
// run only asks.
func (s *Server) recorded(c fiber.Ctx) error {
	err := c.Next()
	if who := callOf(c.Context()).caller; c.Response().StatusCode() == fiber.StatusForbidden && !safe(c.Method()) && who.User != 0 && c.Query("dry_run") != "true" {
		var p wire.Problem
		_ = json.Unmarshal(c.Response().Body(), &p)
		s.service.WasRefused(c.Context(), who, c.Method()+" "+c.Path(), p.Detail, callOf(c.Context()).about)
	}
	return err
}

func (s *Server) refusalRoutes() {
	route(s, "GET", "/refusals", "list-refusals", "What was tried and refused in the last 90 days", func(ctx context.Context, _ *struct{}) (*body[wire.RefusalList], error) {
		out, err := changing.Refusals(ctx, s.service, caller(ctx))
		return &body[wire.RefusalList]{out}, err
	})
	type search struct {
		Paging
		User string `query:"user" maxLength:"200" doc:"only what this user did, or what is about them: user name or id"`
	}
	route(s, "GET", "/security-log", "list-security-log", "Who signed in, tried to, or was given the means, newest first", func(ctx context.Context, in *search) (*body[wire.SecurityLog], error) {
		out, err := lists.SecurityLog(ctx, s.service, caller(ctx), in.User, in.Cursor, in.Limit, func(user fact.UserID, before int64, limit int) ([]lists.SecurityEvent, error) {
			all, err := s.authenticator.Events(ctx, user, before, limit)
			var out []lists.SecurityEvent
			for _, e := range all {
				out = append(out, lists.SecurityEvent(e))
			}
			return out, err
		})
		return &body[wire.SecurityLog]{out}, err
	}, steady)
}
