package scim

import (
	"context"
	"reflect"
	"slices"
	"strings"

	"ableroster/internal/filter"
)

// PatchBody is section 3.5.2.
type PatchBody struct {
	Schemas    []string    `json:"schemas"`
	Operations []PatchItem `json:"Operations"`
}

// PatchItem is one operation of a patch; a value that is null is none.
type PatchItem struct {
	Op    string `json:"op"`
	Path  string `json:"path"`
	Value any    `json:"value"`
}

// PatchSchema is what a patch says it is.
const PatchSchema = "urn:ietf:params:scim:api:messages:2.0:PatchOp"

// mostPatches bounds the operations of one patch.
const mostPatches = 1000

// patch does all operations of a body to a resource, or fails.
func patch(ctx context.Context, schemas []Schema, r Resource, body PatchBody) error {
	if !slices.ContainsFunc(body.Schemas, func(s string) bool { return strings.EqualFold(s, PatchSchema) }) {
		return bad(invalidSyntax, "schemas does not name %s", PatchSchema)
	}
	if len(body.Operations) == 0 {
		return bad(invalidSyntax, "Operations is empty")
	}
	if len(body.Operations) > mostPatches {
		return &Error{413, tooMany, "a patch has at most 1,000 operations"}
	}
	for _, o := range body.Operations {
		if err := ctx.Err(); err != nil {
			return err
		}
		op := strings.ToLower(o.Op)
		if op != "add" && op != "replace" && op != "remove" {
			return bad(invalidSyntax, "%q is none of add, remove and replace", o.Op)
		}
		if err := patchOne(schemas, r, op, o.Path, o.Value); err != nil {
			return err
		}
	}
	return nil
}

func patchOne(schemas []Schema, r Resource, op, at string, value any) error {
	if at == "" {
		if op == "remove" {
			return bad(noTarget, "a path says what to remove")
		}
		all, ok := value.(Resource)
		if !ok {
			return bad(invalidSyntax, "without a path the value is an object")
		}
		for name, v := range all {
			if uri := uriOf(schemas, name); uri != "" {
				inner, ok := v.(Resource)
				if !ok {
					return bad(invalidValue, "%s is no object", name)
				}
				for k, x := range inner {
					if err := patchOne(schemas, r, op, uri+":"+k, x); err != nil {
						return err
					}
				}
				continue
			}
			if strings.EqualFold(name, "schemas") || strings.EqualFold(name, "id") || strings.EqualFold(name, "meta") {
				continue
			}
			if p, err := parsePath(schemas, name); err == nil && p.attr == nil {
				continue // what no schema has is passed over, as in a whole resource
			}
			if err := patchOne(schemas, r, op, name, v); err != nil {
				return err
			}
		}
		return nil
	}
	p, err := parsePath(schemas, at)
	if err != nil {
		return err
	}
	if p.attr == nil {
		return bad(invalidPath, "there is no attribute %q", at)
	}
	if p.attr.Mutability == readOnly || p.sub != nil && p.sub.Mutability == readOnly {
		return bad(mutability, "%s is only read", at)
	}
	if op != "remove" && value == nil {
		op = "remove" // RFC 7643, section 2.5: null is no value
	}
	to := place(schemas, r, p.uri, op != "remove")
	if to == nil {
		return nil
	}
	if err := p.do(to, op, value); err != nil {
		return err
	}
	if p.attr.Required && to[p.attr.Name] == nil {
		return bad(invalidValue, "%s is required", p.attr.Name)
	}
	return nil
}

// uriOf is the schema of an extension that a name is the URI of.
func uriOf(schemas []Schema, name string) string {
	for _, s := range schemas {
		if strings.EqualFold(s.ID, name) {
			return s.ID
		}
	}
	return ""
}

// path is what an operation speaks of (section 3.5.2, figure 7).
type path struct {
	uri   string
	attr  *Attribute // nil for one that is not there
	where filter.Expression
	sub   *Attribute
}

func parsePath(schemas []Schema, text string) (p path, err error) {
	uri, rest := split(schemas, text)
	name, sub := rest, ""
	if i := strings.IndexByte(rest, '['); i >= 0 {
		end := strings.LastIndexByte(rest, ']')
		if end < i {
			return p, bad(invalidPath, "%q has no ] to its [", text)
		}
		name = rest[:i]
		if tail := rest[end+1:]; tail != "" {
			if sub = strings.TrimPrefix(tail, "."); sub == tail || sub == "" {
				return p, bad(invalidPath, "%q goes on with %q", text, tail)
			}
		}
		e, err := filter.Parse("x[" + rest[i+1:end] + "]")
		if err != nil {
			return p, bad(invalidFilter, "%q: %s", text, err)
		}
		within, ok := e.(*filter.Within)
		if !ok { // there is another ] in between, and more after it
			return p, bad(invalidPath, "%q chooses more than once", text)
		}
		p.where = within.Of
	} else if head, tail, ok := strings.Cut(rest, "."); ok {
		name, sub = head, tail
	}
	if name == "" || strings.ContainsAny(name+sub, " []().\"") {
		return p, bad(invalidPath, "%q is no path", text)
	}
	if p.attr, p.uri = find(schemas, uri, name); p.attr == nil {
		return p, nil
	}
	if p.where != nil {
		if !p.attr.Multi || p.attr.Type != "complex" {
			return p, bad(invalidPath, "%s has no values to choose among", p.attr.Name)
		}
		if wrong := filter.Check(p.where, text, filterable(p.attr.Sub)); len(wrong) > 0 {
			return p, bad(invalidFilter, "%q: %s", text, wrong[0].Message)
		}
	}
	if sub != "" {
		if p.sub = among(p.attr.Sub, sub); p.sub == nil {
			return p, bad(invalidPath, "%s has no %q", p.attr.Name, sub)
		}
	}
	return p, nil
}

// do does an operation to the object in which the attribute lies.
func (p *path) do(to Resource, op string, value any) error {
	if !p.attr.Multi {
		return p.doOne(to, op, value)
	}
	all, _ := to[p.attr.Name].([]any)
	switch {
	case p.where == nil && p.sub == nil:
		var given []any
		if value != nil {
			x, err := typed(p.attr, value)
			if err != nil {
				return err
			}
			given, _ = x.([]any)
		}
		switch {
		case op == "replace":
			all = given
		case op == "add":
			for _, x := range given {
				if !slices.ContainsFunc(all, func(y any) bool { return sameValue(x, y) }) {
					all = append(all, x)
				}
			}
			onePrimary(all, given)
		case value == nil:
			all = nil
		default: // those that are listed, as some clients remove members
			all = slices.DeleteFunc(all, func(x any) bool {
				return slices.ContainsFunc(given, func(y any) bool { return sameValue(x, y) })
			})
		}
	default:
		kept, met := []any(nil), false
		for _, x := range all {
			in := x.(Resource)
			if p.where != nil && !filter.Match(p.where, filterable(p.attr.Sub), object(in)) {
				kept = append(kept, x)
				continue
			}
			met = true
			switch {
			case op == "remove" && p.sub == nil:
				continue
			case op == "remove":
				delete(in, p.sub.Name)
				if in["value"] == nil {
					continue
				}
			default:
				if err := p.fill(in, value); err != nil {
					return err
				}
				if in["primary"] == true {
					onePrimary(all, []any{in})
				}
			}
			kept = append(kept, in)
		}
		switch {
		case !met && op == "replace":
			return bad(noTarget, "no value of %s is so", p.attr.Name)
		case !met && op == "add":
			in := Resource{}
			if !given(p.where, in, p.attr) {
				return bad(noTarget, "no value of %s is so", p.attr.Name)
			}
			if err := p.fill(in, value); err != nil {
				return err
			}
			kept = append(kept, in)
			onePrimary(kept, []any{in})
		}
		all = kept
	}
	if len(all) == 0 {
		delete(to, p.attr.Name)
	} else {
		to[p.attr.Name] = all
	}
	return nil
}

// given makes what a value that is chosen by equality alone would be.
func given(e filter.Expression, in Resource, a *Attribute) bool {
	switch e := e.(type) {
	case *filter.Compare:
		sub := among(a.Sub, e.Attribute)
		if e.Operator != filter.Equal || sub == nil || e.Value == nil {
			return false
		}
		in[sub.Name] = e.Value
		return true
	case *filter.And:
		return given(e.Left, in, a) && given(e.Right, in, a)
	}
	return false
}

// fill writes a value into one that was chosen, or into a part of it.
func (p *path) fill(in Resource, value any) error {
	if p.sub != nil {
		x, err := single(p.sub, value)
		if err != nil {
			return err
		}
		in[p.sub.Name] = x
		return nil
	}
	x, err := single(p.attr, value)
	if err != nil {
		return err
	}
	part, _ := x.(Resource)
	for k, v := range part {
		in[k] = v
	}
	return nil
}

// doOne does an operation to an attribute of one value.
func (p *path) doOne(to Resource, op string, value any) error {
	switch {
	case op == "remove" && p.sub == nil:
		delete(to, p.attr.Name)
	case p.sub != nil:
		in, _ := to[p.attr.Name].(Resource)
		if op == "remove" {
			delete(in, p.sub.Name)
			if len(in) == 0 || p.sub.Name == "value" {
				delete(to, p.attr.Name)
			}
			return nil
		}
		if in == nil {
			in = Resource{}
		}
		x, err := single(p.sub, value)
		if err != nil {
			return err
		}
		in[p.sub.Name] = x
		to[p.attr.Name] = in
	default:
		x, err := typed(p.attr, value)
		if err != nil {
			return err
		}
		if in, ok := to[p.attr.Name].(Resource); ok { // its parts are replaced or added
			if part, ok := x.(Resource); ok {
				for k, v := range part {
					in[k] = v
				}
				return nil
			}
		}
		to[p.attr.Name] = x
	}
	return nil
}

// sameValue says whether two values of a list are the same: by what they are the value of, and of
// which kind.
func sameValue(a, b any) bool {
	x, ok1 := a.(Resource)
	y, ok2 := b.(Resource)
	if !ok1 || !ok2 {
		return reflect.DeepEqual(a, b)
	}
	return x["value"] == y["value"]
}

// onePrimary leaves one value of a list the primary: that which was made so just now (section
// 3.5.2).
func onePrimary(all, now []any) {
	isNow := func(x any) bool {
		return slices.ContainsFunc(now, func(y any) bool { return reflect.ValueOf(x).Pointer() == reflect.ValueOf(y).Pointer() })
	}
	any1 := slices.ContainsFunc(now, func(x any) bool { in, ok := x.(Resource); return ok && in["primary"] == true })
	for _, x := range all {
		if in, ok := x.(Resource); ok && any1 && in["primary"] == true && !isNow(x) {
			in["primary"] = false
		}
	}
}
