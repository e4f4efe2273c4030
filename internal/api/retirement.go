package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/wire"
)

// retirementRoutes say what hangs on something that is to be retired.
func retirementRoutes(s *serve.Server) {
	type role struct {
		Role        string `path:"role" doc:"application/key, a key, or an id, the slash escaped"`
		Replacement string `query:"replacement" doc:"a role that its holders get instead, on the same limits"`
	}
	serve.Route(s, "GET", "/roles/{role}/retirement", "get-role-retirement", "What hangs on a role, and what settles it and retires the role", func(ctx context.Context, in *role) (*serve.Body[wire.Retirement], error) {
		out, err := questions.RetireRole(s.Service.Now(ctx, serve.Caller(ctx)), in.Role, in.Replacement)
		return serve.Answer(out), err
	}, serve.Heavy)
	type application struct {
		Application string `path:"application" doc:"key or id"`
	}
	serve.Route(s, "GET", "/applications/{application}/retirement", "get-application-retirement", "What hangs on an application, and what settles it and retires the application", func(ctx context.Context, in *application) (*serve.Body[wire.Retirement], error) {
		out, err := questions.RetireApplication(s.Service.Now(ctx, serve.Caller(ctx)), in.Application)
		return serve.Answer(out), err
	}, serve.Heavy)
}
