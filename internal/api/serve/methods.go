package serve

import (
	"net/http"
	"slices"
	"strings"

	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// elsewhere answers what no call took: at an address that has calls with what it takes (RFC
// 9110, sections 9.3.7 and 15.5.6), at another that there is nothing.
func (s *Server) elsewhere(doc *huma.OpenAPI) fiber.Handler {
	type address struct {
		segments []string
		methods  []string
	}
	var all []address
	for path, x := range doc.Paths {
		methods := []string{fiber.MethodOptions}
		for method, op := range map[string]*huma.Operation{"GET": x.Get, "POST": x.Post, "PUT": x.Put, "DELETE": x.Delete, "PATCH": x.Patch} {
			if op == nil {
				continue
			}
			methods = append(methods, method)
			if method == fiber.MethodGet {
				methods = append(methods, fiber.MethodHead)
			}
		}
		slices.Sort(methods)
		all = append(all, address{strings.Split(path, "/"), methods})
	}
	all = append(all, address{strings.Split("/api/v1/openapi.json", "/"), []string{"GET", "HEAD", "OPTIONS"}})
	fits := func(a address, path []string) bool {
		if len(a.segments) != len(path) {
			return false
		}
		for i, x := range a.segments {
			if x != path[i] && (!strings.HasPrefix(x, "{") || path[i] == "") {
				return false
			}
		}
		return true
	}
	return func(c fiber.Ctx) error {
		path := strings.Split(c.Path(), "/")
		var methods []string
		for _, a := range all {
			if fits(a, path) {
				methods = append(methods, a.methods...)
			}
		}
		if methods == nil {
			return fiber.NewError(http.StatusNotFound, "there is nothing at this address; see /api/v1/openapi.json")
		}
		slices.Sort(methods)
		methods = slices.Compact(methods)
		c.Set("Allow", strings.Join(methods, ", "))
		if c.Method() == fiber.MethodOptions {
			return c.SendStatus(http.StatusNoContent)
		}
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindNotSupported, Title: "Not supported", Status: http.StatusMethodNotAllowed,
			Detail: strings.Clone(c.Method()) + " is nothing that this address takes: it takes " + strings.Join(methods, ", ") + "."}})
	}
}

// acceptable says whether a caller takes an answer of one of some kinds (RFC 9110, section
// 12.5.1).
func acceptable(c fiber.Ctx, kinds []string) bool {
	return c.Get("Accept") == "" || c.Accepts(kinds...) != ""
}

// kindsOf are the content types in which a call may answer.
func kindsOf(op *huma.Operation) []string {
	if kinds, ok := op.Metadata["files"].([]string); ok {
		return kinds
	}
	return []string{"application/json"}
}
