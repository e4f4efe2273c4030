package api

import (
	"context"

	"ableroster/internal/questions"
	"ableroster/wire"
)

// retirementRoutes say what hangs on something that is to be retired.
func (s *Server) retirementRoutes() {
	type role struct {
		Role        string `path:"role" doc:"application/key, a key, or an id, the slash escaped"`
		Replacement string `query:"replacement" doc:"a role that its holders get instead, on the same limits"`
	}
	route(s, "GET", "/roles/{role}/retirement", "get-role-retirement", "What hangs on a role, and what settles it and retires the role", func(ctx context.Context, in *role) (*body[wire.Retirement], error) {
		out, err := questions.RetireRole(s.service.Now(ctx, caller(ctx)), in.Role, in.Replacement)
		return &body[wire.Retirement]{out}, err
	}, heavy)
	type application struct {
		Application string `path:"application" doc:"key or id"`
	}
	route(s, "GET", "/applications/{application}/retirement", "get-application-retirement", "What hangs on an application, and what settles it and retires the application", func(ctx context.Context, in *application) (*body[wire.Retirement], error) {
		out, err := questions.RetireApplication(s.service.Now(ctx, caller(ctx)), in.Application)
		return &body[wire.Retirement]{out}, err
	}, heavy)
}
