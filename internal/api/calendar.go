package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/wire"
)

func calendarRoutes(s *serve.Server) {
	type calendarOf struct {
		Days        int    `query:"days" minimum:"1" maximum:"366" default:"90" doc:"how far it reaches"`
		Unit        string `query:"unit" maxLength:"400" doc:"people and groups of this unit and below"`
		Application string `query:"application" maxLength:"100" doc:"access to this application alone"`
		Mine        bool   `query:"mine" doc:"one's own alone"`
	}
	serve.Route(s, "GET", "/calendar", "list-dates-ahead", "What begins and ends in the days to come: access, memberships, first and last days, freezes", func(ctx context.Context, in *calendarOf) (*serve.Body[wire.Calendar], error) {
		out, err := lists.Calendar(s.Service.Now(ctx, serve.Caller(ctx)), lists.CalendarSearch{Days: in.Days, Unit: in.Unit, Application: in.Application, Mine: in.Mine})
		return serve.Answer(out), err
	}, serve.Heavy)
}
