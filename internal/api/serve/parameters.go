package serve

import (
	"bytes"
	"maps"
	"net/url"
	"slices"
	"strings"

	"ableroster/internal/near"
	"ableroster/internal/strictjson"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// InsideKey marks a call that the service makes of itself.
const InsideKey = "inside"

// declared lets a call through whose parameters are all ones the call has, each
// given once. One that is misspelt would be taken for none, and a list that was
// to be narrowed would be all of it.
func (s *Server) declared(ctx huma.Context, next func(huma.Context)) {
	if kinds := kindsOf(ctx.Operation()); !acceptable(ctx.(*FiberContext).Fiber, kinds) {
		_ = huma.WriteErr(s.API, ctx, 406, "this call answers in "+strings.Join(kinds, " or ")+", and none of that is accepted")
		return
	}
	u := ctx.URL()
	query := u.Query()
	if ctx.(*FiberContext).Fiber.RequestCtx().UserValue(InsideKey) != nil {
		query.Del("limit") // any list is asked for as many as there may be
	}
	var known map[string]bool
	if len(query) > 0 {
		known = parametersOf(ctx.Operation())
	}
	if ctx.Operation().OperationID == ListFileID {
		maps.DeleteFunc(query, func(name string, _ []string) bool { // the list it asks for is told the others
			_, own := known[name]
			return !own
		})
	}
	faults := append(Undeclared(known, query), unkept(query, ctx)...)
	faults = append(faults, Blanks(query)...)
	for _, key := range ctx.(*FiberContext).Fiber.Request().Header.PeekAll("Idempotency-Key") {
		if len(bytes.TrimSpace(key)) == 0 {
			faults = append(faults, &huma.ErrorDetail{Location: "header.Idempotency-Key", Message: "is blank: leave it out, or give it a value"})
		}
	}
	if len(faults) > 0 {
		_ = huma.WriteErr(s.API, ctx, 422, "", faults...)
		return
	}
	next(ctx)
}

// Blanks are the faults of parameters that are there and say nothing: a blank never
// means all.
func Blanks(query url.Values) []error {
	var faults []error
	for _, name := range slices.Sorted(maps.Keys(query)) {
		if slices.ContainsFunc(query[name], func(v string) bool { return strings.TrimSpace(v) == "" }) {
			faults = append(faults, &huma.ErrorDetail{Location: "query." + name, Message: "is blank: leave it out, or give it a value"})
		}
	}
	return faults
}

// unkept are the faults of texts with a null character in them, which the database
// keeps nowhere.
func unkept(query url.Values, ctx huma.Context) []error {
	var faults []error
	for _, name := range slices.Sorted(maps.Keys(query)) {
		if strings.Contains(strings.Join(query[name], ""), "\x00") {
			faults = append(faults, &huma.ErrorDetail{Location: "query." + name, Message: "has a null character"})
		}
	}
	if strings.HasPrefix(ctx.Header("Content-Type"), "application/json") {
		for _, place := range strictjson.Twice(ctx.(*FiberContext).Fiber.Body()) {
			faults = append(faults, &huma.ErrorDetail{Location: "body/" + place, Message: "is given twice"})
		}
		for _, place := range strictjson.Nulls(ctx.(*FiberContext).Fiber.Body()) {
			faults = append(faults, &huma.ErrorDetail{Location: "body/" + place, Message: "has a null character"})
		}
	}
	return faults
}

// QueryOf are the parameters of a request.
func QueryOf(c fiber.Ctx) url.Values {
	query, _ := url.ParseQuery(string(c.Request().URI().QueryString()))
	return query
}

// parametersOf are the names of a call's parameters, and whether each is a list.
func parametersOf(op *huma.Operation) map[string]bool {
	out := map[string]bool{}
	for _, p := range op.Parameters {
		if p.In == "query" {
			out[p.Name] = p.Schema != nil && p.Schema.Type == "array"
		}
	}
	return out
}

// Undeclared are the faults of parameters that a call has not, or not twice.
func Undeclared(known map[string]bool, query url.Values) []error {
	var faults []error
	wrong := func(name, what string) {
		faults = append(faults, &huma.ErrorDetail{Location: "query." + name, Message: what})
	}
	for _, name := range slices.Sorted(maps.Keys(query)) {
		list, is := known[name]
		if !is {
			what := "is not a parameter of this call"
			wrong(name, what+near.Words(name, slices.Sorted(maps.Keys(known))))
		} else if !list && len(query[name]) > 1 {
			wrong(name, "is given more than once")
		}
	}
	return faults
}
