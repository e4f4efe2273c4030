package api

import (
	"context"
	"encoding/json"

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
		s.desk.WasRefused(c.Context(), who, c.Method()+" "+c.Path(), p.Detail)
	}
	return err
}

func (s *Server) refusalRoutes() {
	route(s, "GET", "/refusals", "list-refusals", "What was tried and refused in the last 90 days", func(ctx context.Context, _ *struct{}) (*body[wire.RefusalList], error) {
		out, err := s.desk.Refusals(ctx, caller(ctx))
		return &body[wire.RefusalList]{out}, err
	})
}
