package api

import (
	"encoding/json"
	"reflect"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/wire"
)

// Operations is wire/operations.json: the kinds of operations, from their descriptors, for
// programs outside the house.
func Operations() ([]byte, error) {
	var out []wire.OperationKind
	for _, d := range change.Descriptors() {
		kind := wire.OperationKind{Verb: d.Verb, Help: d.Help}
		for _, f := range d.Fields {
			if !f.Service {
				kind.Fields = append(kind.Fields, wire.OperationField{Name: f.Name, Flag: f.Flag, Type: fieldType(f.Type), Doc: f.Doc, OneOf: f.OneOf})
			}
		}
		out = append(out, kind)
	}
	raw, err := json.MarshalIndent(out, "", "  ")
	return append(raw, '\n'), err
}

// fieldType is what a field of an operation holds, as wire.OperationField says it.
func fieldType(t reflect.Type) string {
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch {
	case t == reflect.TypeFor[calendar.Date]():
		return "day"
	case t == reflect.TypeFor[calendar.Instant]():
		return "instant"
	case t.Kind() == reflect.String:
		return "text"
	case t.Kind() == reflect.Bool:
		return "truth"
	case t.Kind() == reflect.Int:
		return "number"
	case t.Kind() == reflect.Slice && t.Elem().Kind() == reflect.String:
		return "texts"
	}
	return "object"
}
