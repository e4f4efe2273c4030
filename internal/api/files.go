package api

import (
	"context"

	"ableroster/internal/rosterfile"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
)

// fileRoutes are what goes in and out as files.
func (s *Server) fileRoutes() {
	s.importRoutes()
	s.mappingRoutes()
	route(s, "GET", "/files/{list}", listFileID, "Any list as a file, asked with the same query", s.listFile, heavy, files("text/csv", workbookKind))
	for _, x := range []struct {
		path, id, summary string
		table             func(*seeing.View) transfer.Table
	}{
		{"/users.csv", "get-users-file", "Users as CSV, in the columns that importing them reads", transfer.UsersTable},
		{"/groups.csv", "get-groups-file", "Groups as CSV, in the columns that importing them reads", transfer.GroupsTable},
		{"/memberships.csv", "get-memberships-file", "Listed members of groups, as CSV", transfer.MembershipsTable},
		{"/assignments.csv", "get-assignments-file", "Who was given which role, as CSV", transfer.AssignmentsTable},
	} {
		route(s, "GET", x.path, x.id, x.summary, func(ctx context.Context, in *AsOf) (*file, error) {
			v, err := s.view(ctx, *in)
			if err != nil {
				return nil, err
			}
			return tableFile(ctx, x.table(v))
		}, heavy, files("text/csv"))
	}
	route(s, "GET", "/roster-file", "get-roster-file", "The organisation as a roster file, of what the caller may read", func(ctx context.Context, in *AsOf) (*file, error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return fileOf("application/yaml", attachment("roster.yaml"), transfer.RosterFile(v).WriteYAML)
	}, heavy, files("application/yaml"))
	route(s, "GET", "/roster-file/schema", "get-roster-file-schema", "The JSON Schema of a roster file", func(context.Context, *struct{}) (*file, error) {
		return bytesFile("application/schema+json", `inline; filename="roster-file.schema.json"`, rosterfile.Schema()), nil
	}, files("application/schema+json"))
}
