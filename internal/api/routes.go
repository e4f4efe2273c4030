package api

import (
	"context"
	"encoding/json"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

func readRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/me", "me", "Who I am and what I may do here", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.Me], error) {
		me := questions.Me(s.Service.Now(ctx, serve.Caller(ctx)))
		me.NeedsFactor = !serve.CallOf(ctx).Second && s.NeedsSecond(serve.Caller(ctx).User)
		return serve.Answer(me), nil
	})
	serve.Route(s, "GET", "/users", "list-users", "Users, of those the caller may read", func(ctx context.Context, in *serve.UserSearch) (*serve.Body[wire.UserList], error) {
		out, err := lists.UsersAsOf(ctx, s.Service, serve.Caller(ctx), in.AsOf.AsOf, in.Search())
		return serve.Answer(out), err
	})
	type oneUser struct {
		serve.AsOf
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "GET", "/users/{user}", "get-user", "One user", func(ctx context.Context, in *oneUser) (*serve.Body[wire.UserDetail], error) {
		v, id, err := s.Service.AsOfUser(ctx, serve.Caller(ctx), in.AsOf.AsOf, in.User)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.User(v, id)), nil
	})
	serve.Route(s, "GET", "/users/{user}/access", "get-access", "All a user can do, and why", func(ctx context.Context, in *oneUser) (*serve.Body[wire.Access], error) {
		v, id, err := s.Service.AsOfUser(ctx, serve.Caller(ctx), in.AsOf.AsOf, in.User)
		if err != nil {
			return nil, err
		}
		return serve.Answer(questions.Access(v, id)), nil
	})
	serve.Route(s, "GET", "/groups", "list-groups", "Groups", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.GroupList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.Groups(v)), nil
	})
	type oneGroup struct {
		serve.AsOf
		Group string `path:"group" doc:"key or id"`
	}
	serve.Route(s, "GET", "/groups/{group}", "get-group", "One group, its members and what it gives", func(ctx context.Context, in *oneGroup) (*serve.Body[wire.Group], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Group(v, in.Group)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/applications", "list-applications", "Applications", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.ApplicationList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.Applications(v)), nil
	})
	type oneApplication struct {
		serve.AsOf
		Application string `path:"application" doc:"key or id"`
	}
	serve.Route(s, "GET", "/applications/{application}", "get-application", "One application and its resources", func(ctx context.Context, in *oneApplication) (*serve.Body[wire.Application], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Application(v, in.Application)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/roles", "list-roles", "Roles", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.RoleList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.Roles(v)), nil
	})
	type oneRole struct {
		serve.AsOf
		Role string `path:"role" doc:"application/key with the slash escaped, a key, or an id"`
	}
	serve.Route(s, "GET", "/roles/{role}", "get-role", "One role, its permissions and its holders", func(ctx context.Context, in *oneRole) (*serve.Body[wire.Role], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Role(v, in.Role)
		return serve.Answer(out), err
	})
	type assignmentSearch struct {
		serve.AsOf
		serve.Paging
		User  string `query:"user" doc:"of this user directly"`
		Group string `query:"group" doc:"of this group directly"`
		Role  string `query:"role" doc:"of this role"`
	}
	serve.Route(s, "GET", "/assignments", "list-assignments", "Assignments of roles", func(ctx context.Context, in *assignmentSearch) (*serve.Body[wire.AssignmentList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Assignments(v, lists.AssignmentSearch{User: in.User, Group: in.Group, Role: in.Role, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	})
	type oneAssignment struct {
		serve.AsOf
		Assignment string `path:"assignment" doc:"id"`
	}
	serve.Route(s, "GET", "/assignments/{assignment}", "get-assignment", "One assignment", func(ctx context.Context, in *oneAssignment) (*serve.Body[wire.Assignment], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Assignment(v, in.Assignment)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/grid", "get-grid", "Users × permissions of one application", func(ctx context.Context, in *gridSearch) (*serve.Body[wire.Grid], error) {
		out, err := grid(ctx, s, in)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/grid.csv", "get-grid-file", "The whole grid as CSV, of up to 10,000 users", serve.Bound(s, gridFile), serve.Heavy, serve.Files("text/csv"))
	type find struct {
		Query string `query:"q" maxLength:"200" required:"true"`
		Limit int    `query:"limit" minimum:"1" maximum:"50" default:"12"`
	}
	serve.Route(s, "GET", "/search", "search", "Anything by a few letters of its name", func(ctx context.Context, in *find) (*serve.Body[wire.SearchResults], error) {
		return serve.Answer(lists.Search(s.Service.Now(ctx, serve.Caller(ctx)), in.Query, in.Limit)), nil
	})
	type past struct {
		serve.AsOf
		serve.Paging
		User      string    `query:"user" doc:"only revisions that speak of this user"`
		Role      string    `query:"role"`
		Group     string    `query:"group"`
		By        string    `query:"by" doc:"only those made by this user"`
		Reference string    `query:"reference" maxLength:"100" doc:"only those that refer to this"`
		Via       string    `query:"via" maxLength:"40" doc:"only those made this way: console, API, command line …"`
		Kind      []string  `query:"kind" maxItems:"50" doc:"only those with an operation of one of these kinds"`
		From      time.Time `query:"from" doc:"only those made at this instant or later"`
		Until     time.Time `query:"until" doc:"only those made before this instant"`
	}
	serve.Route(s, "GET", "/revisions", "list-revisions", "The ledger, newest first", func(ctx context.Context, in *past) (*serve.Body[wire.RevisionList], error) {
		out, err := questions.History(ctx, s.Service, serve.Caller(ctx), questions.Past{User: in.User, Role: in.Role, Group: in.Group,
			By: in.By, Reference: in.Reference, Via: in.Via, Kinds: in.Kind, From: in.From, Until: in.Until, AsOf: in.AsOf.AsOf, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	}, serve.Steady)
	type oneRevision struct {
		Revision int64 `path:"revision" minimum:"1"`
		After    int   `query:"after" minimum:"0" doc:"leave out so many operations at the beginning"`
		Limit    int   `query:"limit" minimum:"1" maximum:"5000" default:"1000" doc:"at most so many operations"`
	}
	serve.Route(s, "GET", "/revisions/{revision}", "get-revision", "One revision with its operations", func(ctx context.Context, in *oneRevision) (*serve.Body[wire.Revision], error) {
		out, err := questions.History(ctx, s.Service, serve.Caller(ctx), questions.Past{Number: in.Revision, Limit: 1, After: in.After, Operations: in.Limit})
		if err != nil {
			return nil, err
		}
		return serve.Answer(out.Revisions[0]), nil
	})
	type headAt struct {
		Revision int64 `query:"revision" minimum:"1" doc:"as it was at this revision; the newest by default"`
	}
	serve.Route(s, "GET", "/ledger/head", "get-ledger-head", "The head of the ledger, signed where the service has a key: to be kept elsewhere, and held against the ledger later", func(ctx context.Context, in *headAt) (*serve.Body[wire.LedgerHead], error) {
		out, err := questions.Head(ctx, s.Service, serve.Caller(ctx), in.Revision)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/revisions/{revision}/undo", "get-undo", "What would take a revision back, and what stays", func(ctx context.Context, in *struct {
		Revision int64 `path:"revision" minimum:"1"`
	}) (*serve.Body[wire.Undo], error) {
		out, err := questions.Undo(ctx, s.Service, serve.Caller(ctx), in.Revision)
		return serve.Answer(out), err
	}, serve.Heavy)
	serve.Route(s, "POST", "/ledger/verification", "verify-ledger", "Begin to recompute the chain and to replay the operations against the rows, unless that is under way", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.VerificationRun], error) {
		out, err := questions.Verify(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	}, serve.Status(200))
	serve.Route(s, "GET", "/ledger/verification", "get-ledger-verification", "How far verifying is, or what it found", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.VerificationRun], error) {
		out, err := questions.Verified(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	})
}

// gridSearch chooses the rows of a grid.
type gridSearch struct {
	serve.UserSearch
	Application string `query:"application" required:"true" doc:"key or id"`
	WouldBe     string `query:"would_be" maxLength:"2000" doc:"a would-be user among the rows: a JSON object of texts: kind, and built-in attributes such as unit, title and employment_type"`
}

func grid(ctx context.Context, s *serve.Server, in *gridSearch) (wire.Grid, error) {
	v, err := s.View(ctx, in.AsOf)
	if err != nil {
		return wire.Grid{}, err
	}
	newcomer, err := wouldBe(in.WouldBe)
	if err != nil {
		return wire.Grid{}, err
	}
	return questions.Grid(v, in.Application, in.Search(), newcomer)
}

// wouldBe reads the description of a would-be user; a blank one is none.
func wouldBe(text string) (*fact.User, error) {
	if text == "" {
		return nil, nil
	}
	var in map[string]string
	if err := json.Unmarshal([]byte(text), &in); err != nil {
		return nil, seeing.Invalid("nobody can be like that", wire.Fault{Place: "would_be", Message: "is a JSON object of texts: " + err.Error()})
	}
	kind := fact.UserKind(in["kind"])
	delete(in, "kind")
	described, wrong := fact.ReadWouldBe(in)
	if len(wrong) > 0 {
		var faults []wire.Fault
		for _, message := range wrong {
			faults = append(faults, wire.Fault{Place: "would_be", Message: message})
		}
		return nil, seeing.Invalid("nobody can be like that", faults...)
	}
	u := described.User()
	u.UserKind = kind
	return &u, nil
}
