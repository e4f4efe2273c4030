package api

import (
	"encoding/json"
	"reflect"
	"strconv"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"

	"github.com/danielgtaylor/huma/v2"
)

func itoa(n int) string { return strconv.Itoa(n) }

// schemaName names the types of operations apart from those of answers.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	if t.PkgPath() == reflect.TypeFor[access.Fault]().PkgPath() {
		name += "Operation"
	}
	return name
}

// document is the OpenAPI document as served. The operations of a change are
// written into it here, from their registration: huma would check them against
// all kinds at once, with faults nobody understands; the core reads them one
// by one.
func document(o *huma.OpenAPI) ([]byte, error) {
	o.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[calendar.Schedule](), reflect.TypeFor[calendar.ScheduleText]())
	for _, p := range o.Paths {
		if p.Get == nil || p.Get.Metadata["files"] == nil {
			continue
		}
		content := map[string]*huma.MediaType{}
		for _, kind := range p.Get.Metadata["files"].([]string) {
			shape := "string"
			if strings.HasSuffix(kind, "+json") {
				shape = "object"
			}
			content[kind] = &huma.MediaType{Schema: &huma.Schema{Type: shape}}
		}
		p.Get.Responses["200"].Content = content
	}
	names := map[string]string{}
	for _, op := range access.Verbs() {
		ref := o.Components.Schemas.Schema(reflect.TypeOf(op).Elem(), true, "")
		names[op.Verb()] = strings.TrimPrefix(ref.Ref, "#/components/schemas/")
	}
	raw, err := json.Marshal(o)
	if err != nil {
		return nil, err
	}
	var doc map[string]any
	if err := json.Unmarshal(raw, &doc); err != nil {
		return nil, err
	}
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	var kinds []any
	mapping := map[string]any{}
	for _, op := range access.Verbs() {
		name := names[op.Verb()]
		schema := schemas[name].(map[string]any)
		properties := schema["properties"].(map[string]any)
		for field, p := range properties {
			if p.(map[string]any)["description"] == "set by the service" {
				delete(properties, field)
			}
		}
		delete(properties, "$schema")
		properties["op"] = map[string]any{"type": "string", "const": op.Verb()}
		required, _ := schema["required"].([]any)
		schema["required"] = append([]any{"op"}, required...)
		kinds = append(kinds, map[string]any{"$ref": "#/components/schemas/" + name})
		mapping[op.Verb()] = "#/components/schemas/" + name
	}
	request := schemas["ChangeRequest"].(map[string]any)["properties"].(map[string]any)
	request["operations"].(map[string]any)["items"] = map[string]any{"oneOf": kinds,
		"discriminator": map[string]any{"propertyName": "op", "mapping": mapping}}
	return json.MarshalIndent(doc, "", "  ")
}
