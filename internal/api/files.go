package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/rosterfile"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
)

// fileRoutes are what goes in and out as files.
func fileRoutes(s *serve.Server) {
	importRoutes(s)
	mappingRoutes(s)
	serve.Route(s, "GET", "/files/{list}", serve.ListFileID, "Any list as a file, asked with the same query", serve.Bound(s, listFileFor), serve.Heavy, serve.Files("text/csv", serve.WorkbookKind))
	for _, x := range []struct {
		path, id, summary string
		table             func(*seeing.View) transfer.Table
	}{
		{"/users.csv", "get-users-file", "Users as CSV, in the columns that importing them reads", transfer.UsersTable},
		{"/groups.csv", "get-groups-file", "Groups as CSV, in the columns that importing them reads", transfer.GroupsTable},
		{"/memberships.csv", "get-memberships-file", "Listed members of groups, as CSV", transfer.MembershipsTable},
		{"/assignments.csv", "get-assignments-file", "Who was given which role, as CSV", transfer.AssignmentsTable},
	} {
		serve.Route(s, "GET", x.path, x.id, x.summary, func(ctx context.Context, in *serve.AsOf) (*serve.File, error) {
			v, err := s.View(ctx, *in)
			if err != nil {
				return nil, err
			}
			return serve.TableFile(ctx, x.table(v))
		}, serve.Heavy, serve.Files("text/csv"))
	}
	serve.Route(s, "GET", "/roster-file", "get-roster-file", "The organisation as a roster file, of what the caller may read", func(ctx context.Context, in *serve.AsOf) (*serve.File, error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.FileOf("application/yaml", serve.Attachment("roster.yaml"), transfer.RosterFile(v).WriteYAML)
	}, serve.Heavy, serve.Files("application/yaml"))
	serve.Route(s, "GET", "/roster-file/schema", "get-roster-file-schema", "The JSON Schema of a roster file", func(context.Context, *struct{}) (*serve.File, error) {
		return serve.BytesFile("application/schema+json", `inline; filename="roster-file.schema.json"`, rosterfile.Schema()), nil
	}, serve.Files("application/schema+json"))
}
