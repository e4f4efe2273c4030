package authzen

import (
	"bytes"
	"unicode/utf8"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/valyala/fastjson"
)

// readUsual reads many evaluations that are put as they mostly are, in half the time of
// read. It reads nothing that read would not, and the same; false says that it leaves the
// request to read, which also says what is wrong with it.
func readUsual(raw []byte, in *Evaluations) bool {
	if len(raw) > mostUsual || bytes.IndexByte(raw, '\\') >= 0 || !utf8.Valid(raw) || fastjson.ValidateBytes(raw) != nil {
		return false
	}
	p := parsers.Get()
	defer parsers.Put(p)
	v, err := p.ParseBytes(raw)
	if err != nil || v.Type() != fastjson.TypeObject {
		return false
	}
	var out Evaluations
	ok := members(v, func(name string, v *fastjson.Value) bool {
		switch name {
		case "evaluations":
			all, err := v.Array()
			if err != nil || len(all) > MostEvaluations {
				return false
			}
			out.Evaluations = make([]Evaluation, len(all))
			for i, v := range all {
				e := &out.Evaluations[i]
				p := new(parts)
				if !members(v, func(name string, v *fastjson.Value) bool { return p.read(e, name, v) }) {
					return false
				}
			}
			return true
		case "options":
			return whole(v, &out.Options)
		}
		return new(parts).read(&out.Evaluation, name, v)
	})
	if ok {
		*in = out
	}
	return ok
}

// mostUsual is how large a usual request is at most, in bytes: what reads it keeps some times
// as much for the next.
const mostUsual = 512 << 10

var parsers fastjson.ParserPool

// parts are those of one evaluation, made at once.
type parts struct {
	subject, resource Entity
	action            Action
}

// read reads a member of an evaluation.
func (p *parts) read(e *Evaluation, name string, v *fastjson.Value) bool {
	switch name {
	case "subject":
		e.Subject = &p.subject
		return p.subject.read(v)
	case "resource":
		e.Resource = &p.resource
		return p.resource.read(v)
	case "action":
		e.Action = &p.action
		return members(v, func(name string, v *fastjson.Value) bool {
			switch name {
			case "name":
				return text(v, &p.action.Name)
			case "properties":
				p.action.Properties = v.MarshalTo(nil)
			}
			return once(v)
		})
	case "context":
		return whole(v, &e.Context)
	}
	return once(v)
}

func (x *Entity) read(v *fastjson.Value) bool {
	return members(v, func(name string, v *fastjson.Value) bool {
		switch name {
		case "type":
			return text(v, &x.Type)
		case "id":
			return text(v, &x.ID)
		case "properties":
			x.Properties = v.MarshalTo(nil)
		}
		return once(v)
	})
}

// members gives those of an object; none of them may be there twice.
func members(v *fastjson.Value, member func(name string, v *fastjson.Value) bool) bool {
	o, err := v.Object()
	if err != nil || o.Len() > 16 {
		return false
	}
	var names [16]string
	n, ok := 0, true
	o.Visit(func(key []byte, v *fastjson.Value) {
		for i := range n {
			ok = ok && names[i] != string(key)
		}
		if !ok {
			return
		}
		switch string(key) { // those of which there are many are not made anew
		case "subject":
			names[n] = "subject"
		case "action":
			names[n] = "action"
		case "resource":
			names[n] = "resource"
		case "type":
			names[n] = "type"
		case "id":
			names[n] = "id"
		case "name":
			names[n] = "name"
		default:
			names[n] = string(key)
		}
		ok = member(names[n], v)
		n++
	})
	return ok
}

// once says whether no member of a value, at any depth, is there twice.
func once(v *fastjson.Value) bool {
	switch v.Type() {
	case fastjson.TypeObject:
		return members(v, func(_ string, v *fastjson.Value) bool { return once(v) })
	case fastjson.TypeArray:
		all, _ := v.Array()
		for _, v := range all {
			if !once(v) {
				return false
			}
		}
	}
	return true
}

func text(v *fastjson.Value, into *string) bool {
	raw, err := v.StringBytes()
	if string(raw) == TypeUser {
		*into = TypeUser
	} else {
		*into = string(raw)
	}
	return err == nil
}

// whole leaves a value to read.
func whole(v *fastjson.Value, into any) bool {
	return jsonv2.Unmarshal(v.MarshalTo(nil), into) == nil
}
