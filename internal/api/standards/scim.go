package standards

import (
	"context"
	"errors"
	"mime"
	"net/http"
	"strconv"
	"strings"

	"ableroster/internal/api/serve"
	"ableroster/internal/scim"
	"ableroster/internal/strictjson"
	"ableroster/wire"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/gofiber/fiber/v3"
)

// packedAs takes off tags what says that their answer was compressed.
var packedAs = strings.NewReplacer(`-br"`, `"`, `-gzip"`, `"`)

// newest waits a moment until this service knows what is committed: a client of SCIM may come to one
// service with what it was told by another, and knows nothing of our revisions. Where the database
// does not say, it is answered from what is known, and this is false.
func newest(ctx context.Context, s *serve.Server) bool {
	ctx, cancel := context.WithTimeout(ctx, serve.AtLeastWait)
	defer cancel()
	for range 2 { // a connection that lay ready may have broken
		if newest, err := s.Ledger.Newest(ctx); err == nil {
			return s.Ledger.WaitFor(ctx, newest)
		}
	}
	return false
}

// SCIMRoutes are the calls of SCIM 2.0 (RFC 7644).
func SCIMRoutes(s *serve.Server) {
	add := func(method, path string, h func(fiber.Ctx, *scim.Client) error) {
		methods := []string{method}
		if method == fiber.MethodGet {
			methods = append(methods, fiber.MethodHead)
		}
		s.App.Add(methods, serve.SCIMPath+path, func(c fiber.Ctx) error {
			known := newest(c.Context(), s)
			client := &scim.Client{Service: s.Service, Caller: serve.Caller(c.Context()), Base: base(s, c) + serve.SCIMPath, IfMatch: packedAs.Replace(c.Get("If-Match"))}
			call := method + " " + strings.TrimSuffix(path, ":id") + c.Params("id")
			if err := h(c, client); err != nil {
				p := asProblem(err)
				if p.Status == http.StatusNotFound && !known { // it may have been made by way of another service
					p = asProblem(&scim.Error{Status: http.StatusServiceUnavailable, Detail: "this service does not know now what was made by way of others; try again in a moment"})
				}
				serve.Connected(s, c, serve.SpeaksSCIM, call, p.Detail)
				return serve.WriteProblem(c, p)
			}
			serve.Connected(s, c, serve.SpeaksSCIM, call, "")
			return nil
		})
	}
	for _, kind := range []string{scim.Users, scim.Groups} {
		at := "/" + kind
		add("GET", at, func(c fiber.Ctx, x *scim.Client) error {
			q, err := listQuery(c)
			if err != nil {
				return err
			}
			return found(s, c, x, kind, q)
		})
		add("POST", at+"/.search", func(c fiber.Ctx, x *scim.Client) error {
			var q scim.Query
			if err := bodyOf(c, &q); err != nil {
				return err
			}
			return found(s, c, x, kind, q)
		})
		add("POST", at, func(c fiber.Ctx, x *scim.Client) error {
			var in scim.Resource
			if err := bodyOf(c, &in); err != nil {
				return err
			}
			out, err := x.Create(c.Context(), kind, in)
			if err != nil {
				return err
			}
			c.Set("Location", scim.Location(out))
			return sendResource(c, x, kind, out, http.StatusCreated)
		})
		add("GET", at+"/:id", func(c fiber.Ctx, x *scim.Client) error {
			q, err := listQuery(c)
			if err != nil {
				return err
			}
			out, err := x.Get(c.Context(), kind, strings.Clone(c.Params("id")), scim.WantsAll(q))
			if err != nil {
				return err
			}
			return sendResource(c, x, kind, out, http.StatusOK)
		})
		add("PUT", at+"/:id", func(c fiber.Ctx, x *scim.Client) error {
			var in scim.Resource
			if err := bodyOf(c, &in); err != nil {
				return err
			}
			out, err := x.Replace(c.Context(), kind, strings.Clone(c.Params("id")), in)
			if err != nil {
				return err
			}
			return sendResource(c, x, kind, out, http.StatusOK)
		})
		add("PATCH", at+"/:id", func(c fiber.Ctx, x *scim.Client) error {
			var in scim.PatchBody
			if err := bodyOf(c, &in); err != nil {
				return err
			}
			out, err := x.Patch(c.Context(), kind, strings.Clone(c.Params("id")), in)
			if err != nil {
				return err
			}
			return sendResource(c, x, kind, out, http.StatusOK)
		})
		add("DELETE", at+"/:id", func(c fiber.Ctx, x *scim.Client) error {
			if err := x.Delete(c.Context(), kind, strings.Clone(c.Params("id"))); err != nil {
				return err
			}
			return c.SendStatus(http.StatusNoContent)
		})
	}
	add("GET", "/ServiceProviderConfig", func(c fiber.Ctx, x *scim.Client) error { return serve.SendSCIM(c, x.Config(), http.StatusOK) })
	described := func(path string, all func(fiber.Ctx, *scim.Client) []scim.Resource) {
		add("GET", path, func(c fiber.Ctx, x *scim.Client) error {
			if c.Query("filter") != "" { // section 4
				return &scim.Error{Status: http.StatusForbidden, Detail: "what the service says of itself is not filtered"}
			}
			out := all(c, x)
			return serve.SendSCIM(c, scim.List{Schemas: []string{scim.ListSchema}, Total: len(out), Start: 1, PerPage: len(out), Resources: out}, http.StatusOK)
		})
		add("GET", path+"/:id", func(c fiber.Ctx, x *scim.Client) error {
			for _, r := range all(c, x) {
				if id, _ := r["id"].(string); strings.EqualFold(id, c.Params("id")) {
					return serve.SendSCIM(c, r, http.StatusOK)
				}
			}
			return &scim.Error{Status: http.StatusNotFound, Detail: "there is nothing so called"}
		})
	}
	described("/ResourceTypes", func(_ fiber.Ctx, x *scim.Client) []scim.Resource { return x.Types() })
	described("/Schemas", func(c fiber.Ctx, x *scim.Client) []scim.Resource { return x.Schemas(c.Context()) })
	s.App.All(serve.SCIMPath+"/*", func(c fiber.Ctx) error {
		switch path := strings.TrimPrefix(c.Path(), serve.SCIMPath); {
		case path == "/Bulk" || path == "/Me" || path == "/.search" || path == "/":
			return serve.WriteProblem(c, asProblem(&scim.Error{Status: http.StatusNotImplemented, Detail: "this service does not have " + strings.Clone(path)}))
		case path == "/Users" || path == "/Groups" || strings.HasPrefix(path, "/Users/") || strings.HasPrefix(path, "/Groups/"):
			return serve.WriteProblem(c, asProblem(&scim.Error{Status: http.StatusMethodNotAllowed, Detail: "this address does not take " + strings.Clone(c.Method())}))
		}
		return serve.WriteProblem(c, asProblem(&scim.Error{Status: http.StatusNotFound, Detail: "there is nothing at this address"}))
	})
}

// found answers with a list; what has to be searched for waits its turn.
func found(s *serve.Server, c fiber.Ctx, x *scim.Client, kind string, q scim.Query) error {
	if !scim.Light(q) {
		if err := s.Enter(c.Context(), 0); err != nil {
			return err
		}
	}
	out, err := x.Find(c.Context(), kind, q)
	if err != nil {
		return err
	}
	return serve.SendSCIM(c, out, http.StatusOK)
}

// listQuery reads the parameters of a list, each given once.
func listQuery(c fiber.Ctx) (q scim.Query, err error) {
	query := serve.QueryOf(c)
	names := func(name string) (out []string) {
		for n := range strings.SplitSeq(query.Get(name), ",") {
			if n = strings.TrimSpace(n); n != "" {
				out = append(out, n)
			}
		}
		return out
	}
	number := func(name string) *int {
		text := query.Get(name)
		if text == "" {
			return nil
		}
		n, bad := strconv.Atoi(text)
		if bad != nil {
			err = &scim.Error{Status: http.StatusBadRequest, Type: "invalidValue", Detail: name + " is no number"}
		}
		return &n
	}
	q = scim.Query{Attributes: names("attributes"), Excluded: names("excludedAttributes"), Filter: query.Get("filter"), SortBy: query.Get("sortBy"), SortOrder: query.Get("sortOrder"), Start: number("startIndex"), Count: number("count")}
	return q, err
}

// bodyOf reads a body (section 3.1); a member that is given twice is refused.
func bodyOf(c fiber.Ctx, into any) error {
	kind, _, err := mime.ParseMediaType(c.Get("Content-Type"))
	if err != nil || kind != scim.MediaType && kind != "application/json" {
		return &scim.Error{Status: http.StatusUnsupportedMediaType, Detail: "the body is " + scim.MediaType}
	}
	if err := jsonv2.Unmarshal(c.Body(), into, jsonv2.MatchCaseInsensitiveNames(true)); err != nil {
		detail := "the body cannot be read: " + err.Error()
		for _, place := range strictjson.Twice(c.Body()) {
			detail += "; /" + place + " is given twice"
		}
		return &scim.Error{Status: http.StatusBadRequest, Type: "invalidSyntax", Detail: detail}
	}
	return nil
}

func sendResource(c fiber.Ctx, x *scim.Client, kind string, r scim.Resource, status int) error {
	q, err := listQuery(c)
	if err != nil {
		return err
	}
	out, err := x.Project(c.Context(), kind, r, q)
	if err != nil {
		return err
	}
	c.Set("ETag", scim.Version(r))
	return serve.SendSCIM(c, out, status)
}

// asProblem is an error of SCIM on its way to be written; the keyword stands in its type.
func asProblem(err error) *serve.Problem {
	var e *scim.Error
	if errors.As(err, &e) {
		return &serve.Problem{Problem: wire.Problem{Type: "scim " + e.Type, Status: e.Status, Detail: e.Detail}}
	}
	return serve.ProblemOf(err)
}
