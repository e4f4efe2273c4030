// Package strictjson reads JSON (RFC 8259) that must be wholly understood: what is
// of another type, or what nobody asked for, is told at its place and in plain
// words, all of it.
package strictjson

import (
	"bytes"
	"encoding"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"ableroster/internal/near"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Fault is one thing wrong with a JSON text.
type Fault struct {
	Place   string // its JSON pointer (RFC 6901) without the first slash, blank for the whole
	Message string
}

// Worded is a type that says what its values are, as people write them: "a date
// such as 2027-01-31".
type Worded interface{ InWords() string }

// Written is a type that reads itself from JSON as if it were another, so that
// the faults of that one are told.
type Written interface{ WrittenAs() reflect.Type }

// Unmarshal reads a JSON text into what a pointer points to, which is zero before. Names of fields are
// compared with case, and one that is not there is a fault.
func Unmarshal(raw []byte, into any) []Fault {
	// What is well is read in one go; what is wrong with the rest is looked for.
	if jsonv2.Unmarshal(raw, into, jsonv2.RejectUnknownMembers(true)) == nil {
		return nil
	}
	reflect.ValueOf(into).Elem().SetZero()
	if !json.Valid(raw) {
		return []Fault{{Message: "is no JSON"}}
	}
	if faults := in(reflect.TypeOf(into).Elem(), raw, ""); len(faults) > 0 {
		return faults
	}
	if err := Quickly(raw, into); err != nil {
		return []Fault{{Message: strings.TrimPrefix(err.Error(), "json: ")}}
	}
	return nil
}

// Quickly reads as Unmarshal does, and says no more than whether all is well.
func Quickly(raw []byte, into any) error {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.DisallowUnknownFields()
	if err := dec.Decode(into); err != nil {
		return err
	}
	if dec.More() {
		return errors.New("json: there is something after it")
	}
	return nil
}

// Apart is one member of a JSON object, nil where it has none, and the object without it; ok
// is false for anything else.
func Apart(raw []byte, member string) (value, rest []byte, ok bool) {
	d := jsontext.NewDecoder(bytes.NewBuffer(raw), jsontext.AllowDuplicateNames(true))
	if d.PeekKind() != '{' {
		return nil, nil, false
	}
	if _, err := d.ReadToken(); err != nil {
		return nil, nil, false
	}
	var from, to int64 // of the last of the name: a first one stays, and is refused
	first, next := true, false
	for d.PeekKind() != '}' {
		before := d.InputOffset()
		name, err := d.ReadToken()
		if err != nil {
			return nil, nil, false
		}
		if name.String() == member {
			v, err := d.ReadValue()
			if err != nil {
				return nil, nil, false
			}
			value, from, to, next = slices.Clone(v), before, d.InputOffset(), first
		} else if d.SkipValue() != nil {
			return nil, nil, false
		}
		first = false
	}
	if _, err := d.ReadToken(); err != nil {
		return nil, nil, false
	}
	if value == nil {
		return nil, raw, true
	}
	// With the comma before it; or, of the first one, the comma after it.
	after := raw[to:]
	if next {
		after = bytes.TrimLeft(after, " \t\r\n")
		after = bytes.TrimPrefix(after, []byte(","))
	}
	return value, append(slices.Clone(raw[:from]), after...), true
}

// Nulls are the places of the texts of a JSON text that have a null character in
// them (RFC 8259, section 7, allows it; few databases do).
func Nulls(raw []byte) []string {
	if !bytes.Contains(raw, []byte(`\u0000`)) {
		return nil
	}
	var value any
	if json.Unmarshal(raw, &value) != nil {
		return nil
	}
	var out []string
	var look func(x any, place string)
	look = func(x any, place string) {
		switch x := x.(type) {
		case string:
			if strings.Contains(x, "\x00") {
				out = append(out, strings.TrimPrefix(place, "/"))
			}
		case []any:
			for i := range x {
				look(x[i], fmt.Sprintf("%s/%d", place, i))
			}
		case map[string]any:
			for _, name := range slices.Sorted(maps.Keys(x)) {
				look(name, place)
				look(x[name], place+"/"+Short(name))
			}
		}
	}
	look(value, "")
	return out
}

// Twice are the places of the members that an object of a JSON text has more than once
// (RFC 8259, section 4: two programs may read two different ones). What is no JSON has none.
func Twice(raw []byte) []string {
	if d := jsontext.NewDecoder(bytes.NewReader(raw)); d.SkipValue() == nil {
		return nil // which refuses them
	}
	var out []string
	seen := map[string]int{} // by place: how often a name was read there
	for d := jsontext.NewDecoder(bytes.NewReader(raw), jsontext.AllowDuplicateNames(true)); ; {
		t, err := d.ReadToken()
		if err != nil {
			return out
		}
		kind, length := d.StackIndex(d.StackDepth())
		if kind != '{' || length%2 == 0 || t.Kind() != '"' {
			if t.Kind() == '{' || t.Kind() == '[' { // another one at this place, of a member given twice, begins anew
				begins := string(d.StackPointer()) + "/"
				maps.DeleteFunc(seen, func(place string, _ int) bool { return strings.HasPrefix(place, begins) })
			}
			continue
		}
		place := string(d.StackPointer())
		if seen[place]++; seen[place] == 2 {
			out = append(out, Short(strings.TrimPrefix(place, "/")))
		}
	}
}

// in are all that is wrong with JSON that is to become a value of a type.
func in(t reflect.Type, raw json.RawMessage, place string) []Fault {
	if string(raw) == "null" {
		return nil // as not given
	}
	if t.Kind() == reflect.Pointer {
		return in(t.Elem(), raw, place)
	}
	wrong := []Fault{{place, "must be " + words(t)}}
	below := func(name string) string { return strings.TrimPrefix(place+"/"+name, "/") }
	if as, ok := reflect.Zero(reflect.PointerTo(t)).Interface().(Written); ok {
		if faults := in(as.WrittenAs(), raw, place); len(faults) > 0 {
			return faults
		}
		return itself(t, raw, place, wrong)
	}
	if reflect.PointerTo(t).Implements(reflect.TypeFor[encoding.TextUnmarshaler]()) || reflect.PointerTo(t).Implements(reflect.TypeFor[json.Unmarshaler]()) {
		return itself(t, raw, place, wrong)
	}
	var out []Fault
	switch t.Kind() {
	case reflect.Struct, reflect.Map:
		var fields map[string]json.RawMessage
		if json.Unmarshal(raw, &fields) != nil {
			return wrong
		}
		var known map[string]reflect.Type
		if t.Kind() == reflect.Struct {
			known = fieldsOf(t)
		}
		for _, name := range slices.Sorted(maps.Keys(fields)) {
			of, ok := known[name]
			switch {
			case ok:
				out = append(out, in(of, fields[name], below(name))...)
			case known == nil:
				out = append(out, in(t.Elem(), fields[name], below(Short(name)))...)
			default:
				out = append(out, Fault{below(Short(name)), "is not a field here" + near.Words(Short(name), slices.Sorted(maps.Keys(known)))})
			}
		}
		return out
	case reflect.Slice:
		var items []json.RawMessage
		if json.Unmarshal(raw, &items) != nil {
			return wrong
		}
		for i, item := range items {
			out = append(out, in(t.Elem(), item, below(fmt.Sprint(i)))...)
		}
		return out
	}
	return itself(t, raw, place, wrong)
}

// itself are the faults that a type finds in what is to become one value of it.
func itself(t reflect.Type, raw json.RawMessage, place string, wrong []Fault) []Fault {
	err := json.Unmarshal(raw, reflect.New(t).Interface())
	if mistyped := new(json.UnmarshalTypeError); errors.As(err, &mistyped) {
		return wrong
	} else if err != nil && t == reflect.TypeFor[time.Time]() {
		return wrong
	} else if err != nil {
		return []Fault{{place, strings.TrimPrefix(err.Error(), "json: ")}}
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

// words says what a value of a type is, as people write it.
func words(t reflect.Type) string {
	if t == reflect.TypeFor[time.Time]() {
		return "a time such as 2027-01-31T18:00:00Z"
	}
	if w, ok := reflect.Zero(t).Interface().(Worded); ok {
		return w.InWords()
	}
	switch t.Kind() {
	case reflect.Struct, reflect.Map:
		return "an object"
	case reflect.Slice:
		return "a list"
	case reflect.Bool:
		return "true or false"
	case reflect.Int, reflect.Int32, reflect.Int64, reflect.Uint32, reflect.Uint64:
		return "a whole number"
	}
	return "a text"
}

// Shorts are what is to be said back, its texts each made Short.
func Shorts(args []any) []any {
	out := slices.Clone(args)
	for i, a := range out {
		if v := reflect.ValueOf(a); v.Kind() == reflect.String {
			out[i] = Short(v.String())
		}
	}
	return out
}

// Short is a text that is not too long to be said back, of about 100 bytes.
func Short(text string) string {
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
