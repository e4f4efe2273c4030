package serve

import (
	"encoding/json"
	"reflect"
	"strconv"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	_ "ableroster/internal/operation"
	"ableroster/internal/operation/roles"

	"github.com/danielgtaylor/huma/v2"
)

func itoa(n int) string { return strconv.Itoa(n) }

// schemaName names the types of operations apart from those of answers.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	switch t.PkgPath() {
	case reflect.TypeFor[roles.Grant]().PkgPath(), reflect.TypeFor[change.ScopeRef]().PkgPath(), reflect.TypeFor[fact.User]().PkgPath():
		name += "Operation"
	}
	return name
}

// holdOperations are the lists that hold operations as they are asked for.
var holdOperations = []struct{ schema, property string }{{"ChangeRequest", "operations"}, {"PendingLine", "operations"},
	{"Finding", "mend"}, {"WhatIfRequest", "operations"}, {"Comparison", "operations"}, {"MissingPath", "operations"}, {"UndoLine", "operations"}}

// Document is the OpenAPI document as served. The operations of a change are
// written into it here, from their registration: huma would check them against
// all kinds at once, with faults nobody understands; the core reads them one
// by one.
func Document(o *huma.OpenAPI) ([]byte, error) {
	o.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[calendar.Schedule](), reflect.TypeFor[calendar.ScheduleText]())
	for _, p := range o.Paths {
		if p.Get == nil || p.Get.Metadata["files"] == nil {
			continue
		}
		content := map[string]*huma.MediaType{}
		for _, kind := range p.Get.Metadata["files"].([]string) {
			schema := &huma.Schema{Type: "string"}
			switch {
			case strings.HasSuffix(kind, "+json"):
				schema.Type = "object"
			case !strings.HasPrefix(kind, "text/") && !strings.Contains(kind, "yaml"):
				schema.Format = "binary"
			}
			content[kind] = &huma.MediaType{Schema: schema}
		}
		p.Get.Responses["200"].Content = content
	}
	names := map[string]string{}
	for _, kind := range change.Descriptors() {
		ref := o.Components.Schemas.Schema(reflect.TypeOf(kind.New()).Elem(), true, "")
		names[kind.Verb] = strings.TrimPrefix(ref.Ref, "#/components/schemas/")
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
	for _, kind := range change.Descriptors() {
		name := names[kind.Verb]
		schema := schemas[name].(map[string]any)
		properties := schema["properties"].(map[string]any)
		schema["description"] = kind.Help + "."
		for _, f := range kind.Fields {
			if f.Service {
				delete(properties, f.Name)
			}
		}
		if change.HasField(kind.Verb, "until") {
			properties["last_day"] = map[string]any{"type": "string", "format": "date", "description": "in the place of until: the last day on which it holds, in the organisation's time zone"}
		}
		delete(properties, "$schema")
		properties["op"] = map[string]any{"type": "string", "const": kind.Verb}
		required, _ := schema["required"].([]any)
		schema["required"] = append([]any{"op"}, required...)
		kinds = append(kinds, map[string]any{"$ref": "#/components/schemas/" + name})
		mapping[kind.Verb] = "#/components/schemas/" + name
	}
	schemas["Operation"] = map[string]any{"description": "One step of a change; op says which kind.", "oneOf": kinds,
		"discriminator": map[string]any{"propertyName": "op", "mapping": mapping}}
	for _, x := range holdOperations {
		list := schemas[x.schema].(map[string]any)["properties"].(map[string]any)[x.property].(map[string]any)
		list["items"] = map[string]any{"$ref": "#/components/schemas/Operation"}
	}
	for _, schema := range []string{"GivenGroup", "GivenRole"} {
		schemas[schema].(map[string]any)["properties"].(map[string]any)["operation"] = map[string]any{"$ref": "#/components/schemas/Operation"}
	}
	if err := finish(doc); err != nil {
		return nil, err
	}
	renamed(doc)
	return json.MarshalIndent(doc, "", "  ")
}
