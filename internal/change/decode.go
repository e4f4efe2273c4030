package change

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"ableroster/internal/strictjson"
)

// DecodeOperation reads one operation: a JSON object whose "op" names its
// kind. Every field it does not have, that is of another type, or that only the
// ledger sets is a fault at its place, such as "scopes/0/pattern".
func DecodeOperation(raw []byte) (Operation, []Fault) {
	op, rest, faults := newOperation(raw)
	if len(faults) > 0 {
		return nil, faults
	}
	for _, f := range strictjson.Unmarshal(rest, op) {
		faults = append(faults, Fault{Field: f.Place, Message: f.Message})
	}
	if len(faults) > 0 {
		return nil, faults
	}
	if faults = outOfTime(reflect.ValueOf(op).Elem(), "", nil); len(faults) > 0 {
		return nil, faults
	}
	v := reflect.ValueOf(op).Elem()
	for _, f := range DescriptorOf(op).Fields {
		if f.Service && !v.FieldByIndex(f.Index).IsZero() {
			faults = append(faults, Fault{Field: f.Name, Message: "is set by the service"})
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	return op, nil
}

// timely is what has bounds in time.
type timely interface{ Check() error }

// outOfTime adds the faults of instants and days outside the years that can be written,
// and of windows that end before they begin.
func outOfTime(v reflect.Value, place string, faults []Fault) []Fault {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			return outOfTime(v.Elem(), place, faults)
		}
	case reflect.Slice:
		if holdsTime(v.Type().Elem()) {
			for i := range v.Len() {
				faults = outOfTime(v.Index(i), fmt.Sprintf("%s/%d", place, i), faults)
			}
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			if !f.IsExported() || !holdsTime(f.Type) {
				continue
			}
			at := place
			if name, _, _ := strings.Cut(f.Tag.Get("json"), ","); name != "" {
				at = strings.TrimPrefix(place+"/"+name, "/")
			}
			faults = outOfTime(v.Field(i), at, faults)
		}
	}
	if t, ok := v.Interface().(timely); ok && v.Kind() != reflect.Pointer {
		if err := t.Check(); err != nil {
			faults = append(faults, Fault{Field: place, Message: err.Error()})
		}
	}
	return faults
}

// holdsTime says whether values of a type may hold instants or days.
func holdsTime(t reflect.Type) bool {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice:
		return holdsTime(t.Elem())
	case reflect.Struct:
		for i := range t.NumField() {
			if f := t.Field(i); f.IsExported() && holdsTime(f.Type) {
				return true
			}
		}
	}
	return t.Implements(reflect.TypeFor[timely]())
}

// DecodeStored reads an operation as the ledger keeps it.
func DecodeStored(raw []byte) (Operation, error) {
	op, rest, faults := newOperation(raw)
	if len(faults) > 0 {
		return nil, &faults[0]
	}
	return op, strictjson.Quickly(rest, op)
}

// DecodeLike reads what was just written of an operation of the same kind: the kind is
// known, and need not be looked for.
func DecodeLike(like Operation, raw []byte) (Operation, error) {
	op := verbs[like.Verb()].New()
	return op, json.Unmarshal(raw, op)
}

// newOperation is an empty operation of the kind that JSON names, and the rest
// of its fields.
func newOperation(raw []byte) (Operation, json.RawMessage, []Fault) {
	op, rest, ok := strictjson.Apart(raw, "op")
	if !ok {
		return nil, nil, []Fault{{Message: "must be an object with an \"op\""}}
	}
	var verb string
	if op != nil {
		if err := json.Unmarshal(op, &verb); err != nil {
			return nil, nil, []Fault{{Field: "op", Message: "must be a text"}}
		}
	}
	if verb == "" {
		return nil, nil, []Fault{{Field: "op", Message: "is missing"}}
	}
	kind := verbs[verb]
	if kind == nil {
		return nil, nil, []Fault{{Field: "op", Message: fmt.Sprintf("there is no operation “%s”", strictjson.Short(verb)), Given: strictjson.Short(verb)}}
	}
	return kind.New(), rest, nil
}
