package serve

import (
	"maps"
	"slices"
	"strings"

	"ableroster/internal/near"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
)

// registryKey is where an operation keeps the schemas that its own refer to.
const registryKey = "schemas"

// meant says of a field that a body has not which one may have been meant.
func meant(op *huma.Operation, f *wire.Fault) {
	if op == nil || f.Message != "unexpected property" {
		return
	}
	at := strings.Split(strings.TrimPrefix(f.Place, "/"), "/")
	name := at[len(at)-1]
	known := fieldsAt(op, at[:len(at)-1])
	f.Message = "is not a field here" + near.Words(name, known)
	f.DidYouMean = near.Of(name, known)
}

// fieldsAt are the fields of an object within the body of an operation.
func fieldsAt(op *huma.Operation, at []string) []string {
	registry, ok := op.Metadata[registryKey].(huma.Registry)
	if !ok || op.RequestBody == nil || op.RequestBody.Content["application/json"] == nil {
		return nil
	}
	whole := func(s *huma.Schema) *huma.Schema {
		if s != nil && s.Ref != "" {
			return registry.SchemaFromRef(s.Ref)
		}
		return s
	}
	s := whole(op.RequestBody.Content["application/json"].Schema)
	for _, step := range at {
		switch {
		case s == nil:
			return nil
		case s.Type == "array":
			s = whole(s.Items)
		default:
			s = whole(s.Properties[step])
		}
	}
	if s == nil {
		return nil
	}
	return slices.Sorted(maps.Keys(s.Properties))
}
