package serve

import (
	"fmt"

	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// Fresh refuses decisions on a head that has not been known to be the newest
// for longer than the installation accepts.
func (s *Server) Fresh(c fiber.Ctx) error {
	if p := s.TooOld(); p != nil {
		return WriteProblem(c, p)
	}
	return c.Next()
}

// TooOld says why nothing is decided on now, nor anybody let in; nil for nothing.
func (s *Server) TooOld() *Problem {
	if age := s.Ledger.Age(); s.Options.MaxAge > 0 && age > s.Options.MaxAge {
		return &Problem{RetryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Too old", Status: 503,
			Detail: fmt.Sprintf("What this service knows is %.0f s old, since it cannot follow the database, and this installation decides on nothing older than %s, and lets nobody in.", age.Seconds(), s.Options.MaxAge)}}
	}
	if why := s.Ledger.WrongTime(); why != "" {
		return &Problem{RetryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Wrong time", Status: 503, Detail: "Nothing is decided on: " + why + "."}}
	}
	return nil
}
