package serve

import (
	"encoding/json"

	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// recorded keeps what somebody who is signed in tried to change and may not. A dry
// run only asks.
func (s *Server) recorded(c fiber.Ctx) error {
	err := c.Next()
	if who := CallOf(c.Context()).Caller; c.Response().StatusCode() == fiber.StatusForbidden && !safe(c.Method()) && who.User != 0 && c.Query("dry_run") != "true" {
		var p wire.Problem
		_ = json.Unmarshal(c.Response().Body(), &p)
		s.Service.WasRefused(c.Context(), who, c.Method()+" "+c.Path(), p.Detail, CallOf(c.Context()).about)
	}
	return err
}
