package api

import (
	"context"

	"ableroster/internal/rosterfile"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
	"ableroster/wire"
)

// fileRoutes are what goes in and out as files.
func (s *Server) fileRoutes() {
	type Imported struct {
		DryRun      bool     `query:"dry_run" doc:"only say what it would do"`
		File        string   `query:"file" maxLength:"200" default:"file" doc:"its name, for the places in faults"`
		Reason      string   `query:"reason" maxLength:"2000"`
		Acknowledge []string `query:"acknowledge" doc:"guard rails to pass, by code"`
		Key         string   `header:"Idempotency-Key" maxLength:"200"`
	}
	type Tracked struct {
		Track string `query:"track" maxLength:"64" doc:"a name of the caller's, under which the progress is told and the import can be cancelled"`
	}
	type table struct {
		Imported
		Tracked
		RawBody []byte `contentType:"text/csv"`
	}
	type users struct {
		Imported
		Tracked
		Format  string `query:"format" enum:"csv,ldif" default:"csv" doc:"CSV (RFC 4180) or LDIF (RFC 2849)"`
		Mapping string `query:"mapping" maxLength:"64" doc:"a saved mapping of the file's columns to ours; without one they are called as ours"`
		RawBody []byte `contentType:"text/csv"`
	}
	read := func(in *Imported, content []byte) transfer.Import {
		return transfer.Import{File: in.File, Content: content, Reason: in.Reason, Acknowledge: in.Acknowledge, DryRun: in.DryRun, Key: in.Key}
	}
	for _, x := range []struct {
		path, id, summary string
		do                func(context.Context, *seeing.Service, seeing.Caller, transfer.Import) (wire.ChangeResult, error)
	}{
		{"/imports/groups", "import-groups", "Make and change groups from a CSV file as one change", transfer.ImportGroups},
		{"/imports/memberships", "import-memberships", "Add users and groups to groups from a CSV file as one change", transfer.ImportMemberships},
		{"/imports/assignments", "import-assignments", "Give roles to users and groups from a CSV file as one change", transfer.ImportAssignments},
	} {
		route(s, "POST", x.path, x.id, x.summary, func(ctx context.Context, in *table) (*body[wire.ChangeResult], error) {
			file := read(&in.Imported, in.RawBody)
			file.Track = in.Track
			out, err := x.do(ctx, s.service, caller(ctx), file)
			return &body[wire.ChangeResult]{out}, err
		}, status(200), heavy, large)
	}
	route(s, "POST", "/imports/users", "import-users", "Bring users in from a file as one change", func(ctx context.Context, in *users) (*body[wire.ChangeResult], error) {
		file := read(&in.Imported, in.RawBody)
		file.Track, file.Format, file.Mapping = in.Track, in.Format, in.Mapping
		out, err := transfer.ImportUsers(ctx, s.service, caller(ctx), file)
		return &body[wire.ChangeResult]{out}, err
	}, status(200), heavy, large)
	type oneImport struct {
		Import string `path:"import" maxLength:"64" doc:"the name it was given as track"`
	}
	route(s, "GET", "/imports/{import}", "get-import", "How far an import of one's own is, while it is under way", func(ctx context.Context, in *oneImport) (*body[wire.ImportProgress], error) {
		out, err := transfer.ImportProgress(s.service, caller(ctx), in.Import)
		return &body[wire.ImportProgress]{out}, err
	})
	route(s, "DELETE", "/imports/{import}", "cancel-import", "Cancel an import of one's own that is not being written yet", func(ctx context.Context, in *oneImport) (*none, error) {
		return &none{}, transfer.CancelImport(s.service, caller(ctx), in.Import)
	}, status(204))
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
	type document struct {
		Imported
		RawBody []byte `contentType:"application/yaml"`
	}
	route(s, "POST", "/roster-file", "load-roster-file", "Make the organisation as a roster file says, as one change", func(ctx context.Context, in *document) (*body[wire.ChangeResult], error) {
		out, err := transfer.LoadRosterFile(ctx, s.service, caller(ctx), read(&in.Imported, in.RawBody))
		return &body[wire.ChangeResult]{out}, err
	}, status(200), heavy, large)
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
