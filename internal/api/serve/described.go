package serve

import (
	"net/http"
	"reflect"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
)

// Describe puts a call into the document that is registered by hand: query are its parameters, each
// followed by what it is.
func (s *Server) Describe(method, path, id, summary string, in, out reflect.Type, query ...string) {
	reg := s.API.OpenAPI().Components.Schemas
	content := func(t reflect.Type) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{"application/json": {Schema: reg.Schema(t, true, "")}}
	}
	op := &huma.Operation{OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary,
		Security: []map[string][]string{{"token": {}}, {"session": {}}},
		Responses: map[string]*huma.Response{
			"200": {Description: "OK", Content: content(out)},
		}}
	for _, status := range []int{400, 401, 403, 404, 406, 413, 415, 422, 429, 500, 503} {
		op.Responses[strconv.Itoa(status)] = &huma.Response{Description: http.StatusText(status), Content: map[string]*huma.MediaType{"application/problem+json": {Schema: reg.Schema(reflect.TypeFor[Problem](), true, "")}}}
	}
	if in != nil {
		op.RequestBody = &huma.RequestBody{Required: true, Content: content(in)}
	}
	for i := 0; i+1 < len(query); i += 2 {
		op.Parameters = append(op.Parameters, &huma.Param{Name: query[i], In: "query", Description: query[i+1], Schema: parameterShape(query[i])})
	}
	s.API.OpenAPI().AddOperation(op)
}

// parameterShape is the schema of a parameter of a call that is described by hand.
func parameterShape(name string) *huma.Schema {
	switch name {
	case "at", "as_of":
		return &huma.Schema{Type: "string", Format: "date-time"}
	case "nobody":
		return &huma.Schema{Type: "boolean"}
	}
	return &huma.Schema{Type: "string"}
}
