package serve

import (
	"context"
	"net/http"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/lists"
	"ableroster/internal/seeing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// Body is an answer with a JSON body.
type Body[T any] struct{ Body T }

// Answer is an answer of some value.
func Answer[T any](x T) *Body[T] { return &Body[T]{x} }

// None is an answer without one.
type None struct{}

// Route registers one call: what the handler returns goes out as JSON, its
// errors as problems.
func Route[I, O any](s *Server, method, path, id, summary string, h func(context.Context, *I) (*O, error), options ...func(*huma.Operation)) {
	op := huma.Operation{OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary, MaxBodyBytes: ChangeBody,
		Security: []map[string][]string{{"token": {}}, {"session": {}}}, Errors: []int{400, 401, 403, 404, 406, 409, 413, 415, 422, 429, 500, 503}}
	for _, o := range options {
		o(&op)
	}
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata[registryKey] = s.API.OpenAPI().Components.Schemas
	huma.Register(s.API, op, func(ctx context.Context, in *I) (*O, error) {
		var out *O
		var err error
		if op.Metadata["confirms"] == true {
			err = s.Confirmed(ctx)
		}
		if err == nil {
			out, err = guarded(ctx, s, op.Metadata["heavy"] == true, in, h)
		}
		if err != nil {
			p := ProblemOf(err)
			p.Instance = CallOf(ctx).ID
			CallOf(ctx).about = p.About
			if p.Status == 500 {
				s.Log.Error("request failed", "request", p.Instance, "error", err)
			}
			headers := http.Header{}
			if p.RetryAfter > 0 {
				headers.Set("Retry-After", itoa(p.RetryAfter))
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
	if heavy || CallOf(ctx).older {
		if err := s.Enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	return h(ctx, in)
}

// Anybody marks a call that needs nobody signed in.
func Anybody(op *huma.Operation) { op.Security = nil }

// Status says with which status a call is answered.
func Status(code int) func(*huma.Operation) {
	return func(op *huma.Operation) { op.DefaultStatus = code }
}

// Conditional says that a call takes conditions, which may not hold.
func Conditional(op *huma.Operation) { op.Errors = append(op.Errors, http.StatusPreconditionFailed) }

// Files says of which kinds the file is that a call answers with.
func Files(kinds ...string) func(*huma.Operation) {
	return func(op *huma.Operation) {
		if op.Metadata == nil {
			op.Metadata = map[string]any{}
		}
		op.Metadata["files"] = kinds
	}
}

// Caller is who calls.
func Caller(ctx context.Context) seeing.Caller {
	return CallOf(ctx).Caller
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
	return OutOfTime("as_of", a.AsOf)
}

// OutOfTime is what is wrong with an instant that cannot be written; nothing for others.
func OutOfTime(name string, t time.Time) []error {
	if err := calendar.CheckTime(t); err != nil {
		return []error{&huma.ErrorDetail{Location: "query." + name, Message: err.Error()}}
	}
	return nil
}

// View is the caller's view of an instant. A past day takes much: it waits its turn.
func (s *Server) View(ctx context.Context, a AsOf) (*seeing.View, error) {
	if !a.AsOf.IsZero() {
		if err := s.Enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	return s.Service.AsOf(ctx, Caller(ctx), a.AsOf)
}

// ViewWhole is view for what somebody may have to do with though they may read nobody.
func (s *Server) ViewWhole(ctx context.Context, a AsOf) (*seeing.View, error) {
	if !a.AsOf.IsZero() {
		if err := s.Enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	return s.Service.AsOfWhole(ctx, Caller(ctx), a.AsOf)
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

// Search is what it comes to.
func (q *UserSearch) Search() lists.UserSearch {
	return lists.UserSearch{Text: q.Query, Unit: q.Unit, Status: q.Status, Group: q.Group, Filter: q.Filter, Sort: q.Sort, Cursor: q.Cursor, Limit: q.Limit}
}

// Bound is what answers a call, of one server.
func Bound[I, O any](s *Server, h func(context.Context, *Server, *I) (*O, error)) func(context.Context, *I) (*O, error) {
	return func(ctx context.Context, in *I) (*O, error) { return h(ctx, s, in) }
}

// Handler is what answers a call that is no JSON document, of one server.
func Handler(s *Server, h func(*Server, fiber.Ctx) error) fiber.Handler {
	return func(c fiber.Ctx) error { return h(s, c) }
}
