package access

import (
	"bytes"
	"encoding"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
	"unicode/utf8"
)

// DecodeOperation reads one operation: a JSON object whose "op" names its
// kind. Every field it does not have, that is of another type, or that only the
// ledger sets is a fault at its place, such as "scopes/0/pattern".
func DecodeOperation(raw []byte) (Operation, []Fault) {
	op, rest, faults := newOperation(raw)
	if len(faults) > 0 {
		return nil, faults
	}
	if faults := faultsIn(reflect.TypeOf(op).Elem(), rest, ""); len(faults) > 0 {
		return nil, faults
	}
	if err := strictly(rest, op); err != nil {
		return nil, []Fault{{Message: strings.TrimPrefix(err.Error(), "json: ")}}
	}
	if s, ok := op.(interface{ Settled() string }); ok && s.Settled() != "" {
		return nil, []Fault{{Field: s.Settled(), Message: "is set by the service"}}
	}
	return op, nil
}

// DecodeStored reads an operation as the ledger keeps it.
func DecodeStored(raw []byte) (Operation, error) {
	op, rest, faults := newOperation(raw)
	if len(faults) > 0 {
		return nil, &faults[0]
	}
	return op, strictly(rest, op)
}

// newOperation is an empty operation of the kind that JSON names, and the rest
// of its fields.
func newOperation(raw []byte) (Operation, json.RawMessage, []Fault) {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(raw, &fields); err != nil || fields == nil {
		return nil, nil, []Fault{{Message: "must be an object with an \"op\""}}
	}
	var verb string
	if op := fields["op"]; op != nil {
		if err := json.Unmarshal(op, &verb); err != nil {
			return nil, nil, []Fault{{Field: "op", Message: "must be a text"}}
		}
	}
	if verb == "" {
		return nil, nil, []Fault{{Field: "op", Message: "is missing"}}
	}
	build := verbs[verb]
	if build == nil {
		return nil, nil, []Fault{{Field: "op", Message: fmt.Sprintf("there is no operation %q", short(verb))}}
	}
	delete(fields, "op")
	rest, err := json.Marshal(fields)
	if err != nil {
		return nil, nil, []Fault{{Message: err.Error()}}
	}
	return build(), rest, nil
}

func strictly(raw []byte, into any) error {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.DisallowUnknownFields()
	return dec.Decode(into)
}

// faultsIn are all that is wrong with JSON that is to become a value of a type,
// each at its place below another.
func faultsIn(t reflect.Type, raw json.RawMessage, place string) []Fault {
	if string(raw) == "null" {
		return nil // as not given
	}
	wrong := func(what string) []Fault { return []Fault{{Field: place, Message: "must be " + what}} }
	below := func(name string) string { return strings.TrimPrefix(place+"/"+name, "/") }
	var out []Fault
	switch {
	case t == reflect.TypeFor[Schedule]():
		if out := faultsIn(reflect.TypeFor[ScheduleText](), raw, place); len(out) > 0 {
			return out
		}
	case t.Kind() == reflect.Pointer:
		return faultsIn(t.Elem(), raw, place)
	case reflect.PointerTo(t).Implements(reflect.TypeFor[encoding.TextUnmarshaler]()):
		if raw[0] != '"' {
			return wrong(inWords(t))
		}
	case t.Kind() == reflect.Struct:
		var fields map[string]json.RawMessage
		if json.Unmarshal(raw, &fields) != nil {
			return wrong(inWords(t))
		}
		known := fieldsOf(t)
		for _, name := range slices.Sorted(maps.Keys(fields)) {
			if of, ok := known[name]; ok {
				out = append(out, faultsIn(of, fields[name], below(name))...)
			} else {
				out = append(out, Fault{Field: below(short(name)), Message: "is not a field of this operation"})
			}
		}
		return out
	case t.Kind() == reflect.Slice:
		var items []json.RawMessage
		if json.Unmarshal(raw, &items) != nil {
			return wrong(inWords(t))
		}
		for i, item := range items {
			out = append(out, faultsIn(t.Elem(), item, below(fmt.Sprint(i)))...)
		}
		return out
	case t.Kind() == reflect.Map:
		var fields map[string]json.RawMessage
		if json.Unmarshal(raw, &fields) != nil {
			return wrong(inWords(t))
		}
		for _, name := range slices.Sorted(maps.Keys(fields)) {
			out = append(out, faultsIn(t.Elem(), fields[name], below(short(name)))...)
		}
		return out
	}
	if err := json.Unmarshal(raw, reflect.New(t).Interface()); err != nil {
		if _, mistyped := err.(*json.UnmarshalTypeError); mistyped {
			return wrong(inWords(t))
		}
		return []Fault{{Field: place, Message: err.Error()}}
	}
	return nil
}

// fieldsOf are the types of a structure's fields by their names in JSON.
func fieldsOf(t reflect.Type) map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "":
			maps.Copy(out, fieldsOf(f.Type))
		case name != "" && name != "-":
			out[name] = f.Type
		}
	}
	return out
}

// inWords says what a value of a type is, as people write it.
func inWords(t reflect.Type) string {
	switch t {
	case reflect.TypeFor[Instant]():
		return "a time such as 2027-01-31T18:00:00Z"
	case reflect.TypeFor[Date]():
		return "a date such as 2027-01-31"
	}
	switch t.Kind() {
	case reflect.Struct, reflect.Map:
		return "an object"
	case reflect.Slice:
		return "a list"
	case reflect.Bool:
		return "true or false"
	case reflect.Int, reflect.Int32, reflect.Int64, reflect.Uint32:
		return "a whole number"
	}
	return "a text"
}

// short is a text that is not too long to be said back.
func short(text string) string {
	const most = 100
	if len(text) <= most {
		return text
	}
	cut := most
	for !utf8.RuneStart(text[cut]) {
		cut--
	}
	return text[:cut] + "…"
}
