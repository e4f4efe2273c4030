package rosterfile

import (
	"encoding/json"
	"reflect"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"
)

var schemas = sync.OnceValues(func() (huma.Registry, *huma.Schema) {
	r := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	return r, huma.SchemaFromType(r, reflect.TypeFor[File]())
})

// Schema is the JSON Schema (draft 2020-12) of a roster file.
func Schema() []byte {
	r, s := schemas()
	raw, err := json.Marshal(s)
	if err != nil {
		panic(err) // made from a type alone
	}
	var out map[string]any
	if err := json.Unmarshal(raw, &out); err != nil {
		panic(err)
	}
	defs := map[string]any{}
	for name, d := range r.Map() {
		if name != "File" {
			defs[name] = d
		}
	}
	out["$schema"], out["$defs"], out["title"] = "https://json-schema.org/draft/2020-12/schema", defs, "Roster file"
	raw, err = json.MarshalIndent(out, "", "  ")
	if err != nil {
		panic(err)
	}
	return append(raw, '\n')
}

// validate checks a decoded document against the form and calls yield with every
// fault: where, as a path such as "applications.tide-board.actions[0].key", and
// what.
func validate(v any, yield func(place, message string)) {
	r, s := schemas()
	var res huma.ValidateResult
	huma.Validate(r, s, huma.NewPathBuffer(nil, 0), huma.ModeWriteToServer, v, &res)
	for _, err := range res.Errors {
		if d, ok := err.(*huma.ErrorDetail); ok {
			yield(strings.TrimPrefix(d.Location, "."), plain(d.Message))
		} else {
			yield("", err.Error())
		}
	}
}

// plain says what a validator found in the words of a file.
func plain(m string) string {
	switch {
	case strings.HasPrefix(m, "unexpected property"):
		return "is not a field here"
	case strings.HasPrefix(m, "expected required property "):
		return "lacks the field " + strings.TrimSuffix(strings.TrimPrefix(m, "expected required property "), " to be present")
	case m == "expected string":
		return "must be a text (put it in quotes if it looks like something else)"
	case m == "expected boolean":
		return "must be true or false"
	case m == "expected array":
		return "must be a list"
	case m == "expected object":
		return "must hold fields"
	case strings.HasPrefix(m, "expected integer"), strings.HasPrefix(m, "expected number"):
		return "must be a " + strings.TrimPrefix(m, "expected ")
	}
	return strings.Replace(m, "expected value to be", "must be", 1)
}
