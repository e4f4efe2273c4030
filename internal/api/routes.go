package api

import (
	"context"
	"encoding/json"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
)

// body is an answer with a JSON body.
type body[T any] struct{ Body T }

// none is an answer without one.
type none struct{}

// route registers one call: what the handler returns goes out as JSON, its
// errors as problems.
func route[I, O any](s *Server, method, path, id, summary string, h func(context.Context, *I) (*O, error), options ...func(*huma.Operation)) {
	op := huma.Operation{OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary, MaxBodyBytes: changeBody,
		Security: []map[string][]string{{"token": {}}, {"session": {}}}, Errors: []int{400, 401, 403, 404, 406, 409, 413, 415, 422, 429, 500, 503}}
	for _, o := range options {
		o(&op)
	}
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata[registryKey] = s.api.OpenAPI().Components.Schemas
	huma.Register(s.api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := guarded(ctx, s, op.Metadata["heavy"] == true, in, h)
		if err != nil {
			p := problemOf(err)
			p.Instance = callOf(ctx).id
			callOf(ctx).about = p.About
			if p.Status == 500 {
				s.log.Error("request failed", "request", p.Instance, "error", err)
			}
			headers := http.Header{}
			if p.retryAfter > 0 {
				headers.Set("Retry-After", itoa(p.retryAfter))
			}
			if p.Status == http.StatusUnauthorized {
				headers.Set("WWW-Authenticate", challenge(ctx))
			}
			if len(headers) > 0 {
				return nil, huma.ErrorWithHeaders(p, headers)
			}
			return nil, p
		}
		s.next(ctx, out, op.Metadata["steady"] == true)
		return out, nil
	})
}

// guarded answers a call, one that takes much in its turn.
func guarded[I, O any](ctx context.Context, s *Server, heavy bool, in *I, h func(context.Context, *I) (*O, error)) (*O, error) {
	if heavy || callOf(ctx).older {
		if err := s.enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	return h(ctx, in)
}

// anybody marks a call that needs nobody signed in.
func anybody(op *huma.Operation) { op.Security = nil }

func status(code int) func(*huma.Operation) {
	return func(op *huma.Operation) { op.DefaultStatus = code }
}

// conditional says that a call takes conditions, which may not hold.
func conditional(op *huma.Operation) { op.Errors = append(op.Errors, http.StatusPreconditionFailed) }

// files says of which kinds the file is that a call answers with.
func files(kinds ...string) func(*huma.Operation) {
	return func(op *huma.Operation) {
		if op.Metadata == nil {
			op.Metadata = map[string]any{}
		}
		op.Metadata["files"] = kinds
	}
}

func caller(ctx context.Context) seeing.Caller {
	return callOf(ctx).caller
}

// AsOf is what every read of access takes.
type AsOf struct {
	AsOf time.Time `query:"as_of" doc:"a past instant (RFC 3339), now by default"`
}

// Resolve holds the instant to the years that can be written.
func (a *AsOf) Resolve(huma.Context) []error {
	if a.AsOf.IsZero() {
		return nil
	}
	return outOfTime("as_of", a.AsOf)
}

func outOfTime(name string, t time.Time) []error {
	if err := calendar.CheckTime(t); err != nil {
		return []error{&huma.ErrorDetail{Location: "query." + name, Message: err.Error()}}
	}
	return nil
}

// view is the caller's view of an instant. A past day takes much: it waits its turn.
func (s *Server) view(ctx context.Context, a AsOf) (*seeing.View, error) {
	if !a.AsOf.IsZero() {
		if err := s.enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	return s.service.AsOf(ctx, caller(ctx), a.AsOf)
}

// viewWhole is view for what somebody may have to do with though they may read nobody.
func (s *Server) viewWhole(ctx context.Context, a AsOf) (*seeing.View, error) {
	if !a.AsOf.IsZero() {
		if err := s.enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	return s.service.AsOfWhole(ctx, caller(ctx), a.AsOf)
}

// Paging is what long lists take.
type Paging struct {
	Cursor string `query:"cursor" maxLength:"200" doc:"the next of the page before"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"50" doc:"rows of a page"`
}

// UserSearch chooses users for a list.
type UserSearch struct {
	AsOf
	Paging
	Query  string `query:"q" maxLength:"200" doc:"text in the name, user name, title or e-mail"`
	Unit   string `query:"unit" maxLength:"400" doc:"this unit and all below it"`
	Status string `query:"status" enum:"invited,active,suspended,departed"`
	Group  string `query:"group" maxLength:"100" doc:"members of this group now, at any depth"`
	Filter string `query:"filter" maxLength:"8192" doc:"RFC 7644, section 3.4.2.2, over the attributes of a user; within is the unit and all above it"`
	Sort   string `query:"sort" maxLength:"70" doc:"an attribute, name by default; - before it for the other way round"`
}

func (q *UserSearch) search() lists.UserSearch {
	return lists.UserSearch{Text: q.Query, Unit: q.Unit, Status: q.Status, Group: q.Group, Filter: q.Filter, Sort: q.Sort, Cursor: q.Cursor, Limit: q.Limit}
}

func (s *Server) routes() {
	s.signInRoutes()
	s.readRoutes()
	s.questionRoutes()
	s.defaultRoutes()
	s.sodRuleRoutes()
	s.freezeRoutes()
	s.unitRoutes()
	s.machineRoutes()
	s.employmentRoutes()
	s.calendarRoutes()
	s.retirementRoutes()
	s.reportRoutes()
	s.peopleRoutes()
	s.requestRoutes()
	s.reviewRoutes()
	s.overTimeRoutes()
	s.applicationRoutes()
	s.fileRoutes()
	s.changeRoutes()
	s.pendingRoutes()
	s.refusalRoutes()
	s.checkRoutes()
	s.authzenRoutes()
	s.scimRoutes()
	s.connectionRoutes()
}

func (s *Server) readRoutes() {
	route(s, "GET", "/me", "me", "Who I am and what I may do here", func(ctx context.Context, _ *struct{}) (*body[wire.Me], error) {
		me := questions.Me(s.service.Now(ctx, caller(ctx)))
		me.NeedsFactor = !callOf(ctx).second && s.needsSecond(caller(ctx).User)
		return &body[wire.Me]{me}, nil
	})
	route(s, "GET", "/users", "list-users", "Users, of those the caller may read", func(ctx context.Context, in *UserSearch) (*body[wire.UserList], error) {
		out, err := lists.UsersAsOf(ctx, s.service, caller(ctx), in.AsOf.AsOf, in.search())
		return &body[wire.UserList]{out}, err
	})
	type oneUser struct {
		AsOf
		User string `path:"user" doc:"user name or id"`
	}
	route(s, "GET", "/users/{user}", "get-user", "One user", func(ctx context.Context, in *oneUser) (*body[wire.UserDetail], error) {
		v, id, err := s.service.AsOfUser(ctx, caller(ctx), in.AsOf.AsOf, in.User)
		if err != nil {
			return nil, err
		}
		return &body[wire.UserDetail]{lists.User(v, id)}, nil
	})
	route(s, "GET", "/users/{user}/access", "get-access", "All a user can do, and why", func(ctx context.Context, in *oneUser) (*body[wire.Access], error) {
		v, id, err := s.service.AsOfUser(ctx, caller(ctx), in.AsOf.AsOf, in.User)
		if err != nil {
			return nil, err
		}
		return &body[wire.Access]{questions.Access(v, id)}, nil
	})
	route(s, "GET", "/groups", "list-groups", "Groups", func(ctx context.Context, in *AsOf) (*body[wire.GroupList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return &body[wire.GroupList]{lists.Groups(v)}, nil
	})
	type oneGroup struct {
		AsOf
		Group string `path:"group" doc:"key or id"`
	}
	route(s, "GET", "/groups/{group}", "get-group", "One group, its members and what it gives", func(ctx context.Context, in *oneGroup) (*body[wire.Group], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Group(v, in.Group)
		return &body[wire.Group]{out}, err
	})
	route(s, "GET", "/applications", "list-applications", "Applications", func(ctx context.Context, in *AsOf) (*body[wire.ApplicationList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return &body[wire.ApplicationList]{lists.Applications(v)}, nil
	})
	type oneApplication struct {
		AsOf
		Application string `path:"application" doc:"key or id"`
	}
	route(s, "GET", "/applications/{application}", "get-application", "One application and its resources", func(ctx context.Context, in *oneApplication) (*body[wire.Application], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Application(v, in.Application)
		return &body[wire.Application]{out}, err
	})
	route(s, "GET", "/roles", "list-roles", "Roles", func(ctx context.Context, in *AsOf) (*body[wire.RoleList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return &body[wire.RoleList]{lists.Roles(v)}, nil
	})
	type oneRole struct {
		AsOf
		Role string `path:"role" doc:"application/key with the slash escaped, a key, or an id"`
	}
	route(s, "GET", "/roles/{role}", "get-role", "One role, its permissions and its holders", func(ctx context.Context, in *oneRole) (*body[wire.Role], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Role(v, in.Role)
		return &body[wire.Role]{out}, err
	})
	type assignmentSearch struct {
		AsOf
		Paging
		User  string `query:"user" doc:"of this user directly"`
		Group string `query:"group" doc:"of this group directly"`
		Role  string `query:"role" doc:"of this role"`
	}
	route(s, "GET", "/assignments", "list-assignments", "Assignments of roles", func(ctx context.Context, in *assignmentSearch) (*body[wire.AssignmentList], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Assignments(v, lists.AssignmentSearch{User: in.User, Group: in.Group, Role: in.Role, Cursor: in.Cursor, Limit: in.Limit})
		return &body[wire.AssignmentList]{out}, err
	})
	type oneAssignment struct {
		AsOf
		Assignment string `path:"assignment" doc:"id"`
	}
	route(s, "GET", "/assignments/{assignment}", "get-assignment", "One assignment", func(ctx context.Context, in *oneAssignment) (*body[wire.Assignment], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Assignment(v, in.Assignment)
		return &body[wire.Assignment]{out}, err
	})
	route(s, "GET", "/grid", "get-grid", "Users × permissions of one application", func(ctx context.Context, in *gridSearch) (*body[wire.Grid], error) {
		out, err := s.grid(ctx, in)
		return &body[wire.Grid]{out}, err
	})
	route(s, "GET", "/grid.csv", "get-grid-file", "The whole grid as CSV, of up to 10,000 users", s.gridFile, heavy, files("text/csv"))
	type find struct {
		Query string `query:"q" maxLength:"200" required:"true"`
		Limit int    `query:"limit" minimum:"1" maximum:"50" default:"12"`
	}
	route(s, "GET", "/search", "search", "Anything by a few letters of its name", func(ctx context.Context, in *find) (*body[wire.SearchResults], error) {
		return &body[wire.SearchResults]{lists.Search(s.service.Now(ctx, caller(ctx)), in.Query, in.Limit)}, nil
	})
	type past struct {
		AsOf
		Paging
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
	route(s, "GET", "/revisions", "list-revisions", "The ledger, newest first", func(ctx context.Context, in *past) (*body[wire.RevisionList], error) {
		out, err := questions.History(ctx, s.service, caller(ctx), questions.Past{User: in.User, Role: in.Role, Group: in.Group,
			By: in.By, Reference: in.Reference, Via: in.Via, Kinds: in.Kind, From: in.From, Until: in.Until, AsOf: in.AsOf.AsOf, Cursor: in.Cursor, Limit: in.Limit})
		return &body[wire.RevisionList]{out}, err
	}, steady)
	type oneRevision struct {
		Revision int64 `path:"revision" minimum:"1"`
		After    int   `query:"after" minimum:"0" doc:"leave out so many operations at the beginning"`
		Limit    int   `query:"limit" minimum:"1" maximum:"5000" default:"1000" doc:"at most so many operations"`
	}
	route(s, "GET", "/revisions/{revision}", "get-revision", "One revision with its operations", func(ctx context.Context, in *oneRevision) (*body[wire.Revision], error) {
		out, err := questions.History(ctx, s.service, caller(ctx), questions.Past{Number: in.Revision, Limit: 1, After: in.After, Operations: in.Limit})
		if err != nil {
			return nil, err
		}
		return &body[wire.Revision]{out.Revisions[0]}, nil
	})
	type headAt struct {
		Revision int64 `query:"revision" minimum:"1" doc:"as it was at this revision; the newest by default"`
	}
	route(s, "GET", "/ledger/head", "get-ledger-head", "The head of the ledger, signed where the service has a key: to be kept elsewhere, and held against the ledger later", func(ctx context.Context, in *headAt) (*body[wire.LedgerHead], error) {
		out, err := questions.Head(ctx, s.service, caller(ctx), in.Revision)
		return &body[wire.LedgerHead]{out}, err
	})
	route(s, "GET", "/revisions/{revision}/undo", "get-undo", "What would take a revision back, and what stays", func(ctx context.Context, in *struct {
		Revision int64 `path:"revision" minimum:"1"`
	}) (*body[wire.Undo], error) {
		out, err := questions.Undo(ctx, s.service, caller(ctx), in.Revision)
		return &body[wire.Undo]{out}, err
	}, heavy)
	route(s, "POST", "/ledger/verification", "verify-ledger", "Begin to recompute the chain and to replay the operations against the rows, unless that is under way", func(ctx context.Context, _ *struct{}) (*body[wire.VerificationRun], error) {
		out, err := questions.Verify(ctx, s.service, caller(ctx))
		return &body[wire.VerificationRun]{out}, err
	}, status(200))
	route(s, "GET", "/ledger/verification", "get-ledger-verification", "How far verifying is, or what it found", func(ctx context.Context, _ *struct{}) (*body[wire.VerificationRun], error) {
		out, err := questions.Verified(ctx, s.service, caller(ctx))
		return &body[wire.VerificationRun]{out}, err
	})
}

// gridSearch chooses the rows of a grid.
type gridSearch struct {
	UserSearch
	Application string `query:"application" required:"true" doc:"key or id"`
	WouldBe     string `query:"would_be" maxLength:"2000" doc:"a would-be user among the rows: a JSON object of texts: kind, and built-in attributes such as unit, title and employment_type"`
}

func (s *Server) grid(ctx context.Context, in *gridSearch) (wire.Grid, error) {
	v, err := s.view(ctx, in.AsOf)
	if err != nil {
		return wire.Grid{}, err
	}
	newcomer, err := wouldBe(in.WouldBe)
	if err != nil {
		return wire.Grid{}, err
	}
	return questions.Grid(v, in.Application, in.search(), newcomer)
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
	u := &fact.User{UserKind: fact.UserKind(in["kind"])}
	var faults []wire.Fault
	for _, key := range slices.Sorted(maps.Keys(in)) {
		if key == "kind" {
			continue
		}
		known, err := fact.PutAttribute(&u.UserFacts, key, in[key])
		switch {
		case !known:
			faults = append(faults, wire.Fault{Place: "would_be", Message: "has “" + strictjson.Short(key) + "”, and is a JSON object with any of kind, " + strings.Join(fact.DescribedKeys(), ", ")})
		case err != nil:
			faults = append(faults, wire.Fault{Place: "would_be", Message: key + " " + err.Error()})
		}
	}
	if len(faults) > 0 {
		return nil, seeing.Invalid("nobody can be like that", faults...)
	}
	return u, nil
}
