package api

import (
	"io/fs"
	"log/slog"

	"ableroster/internal/api/account"
	"ableroster/internal/api/serve"
	"ableroster/internal/api/standards"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
)

// New builds the server with all calls; console is the built console.
func New(d *seeing.Service, authenticator *signin.Authenticator, log *slog.Logger, console fs.FS, o serve.Options) (*serve.Server, error) {
	s, err := serve.New(d, authenticator, log, console, o, routes)
	if err == nil {
		account.SetProviders(s, o.Providers)
	}
	return s, err
}

func routes(s *serve.Server) {
	account.SignInRoutes(s)
	readRoutes(s)
	questionRoutes(s)
	defaultRoutes(s)
	sodRuleRoutes(s)
	freezeRoutes(s)
	unitRoutes(s)
	machineRoutes(s)
	teamRoutes(s)
	employmentRoutes(s)
	calendarRoutes(s)
	retirementRoutes(s)
	reportRoutes(s)
	peopleRoutes(s)
	requestRoutes(s)
	shareRoutes(s)
	reviewRoutes(s)
	overTimeRoutes(s)
	applicationRoutes(s)
	fileRoutes(s)
	changeRoutes(s)
	pendingRoutes(s)
	refusalRoutes(s)
	checkRoutes(s)
	standards.AuthZENRoutes(s)
	standards.SCIMRoutes(s)
	standards.ConnectionRoutes(s)
}
