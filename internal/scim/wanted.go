package scim

import (
	"context"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
)

// wanted is what a client sent, held to the schemas: names as these write them, values of their
// types; what is only read, and what no schema has, is left out (section 3.3).
func (c *Client) wanted(v *seeing.View, kind string, in Resource) (Resource, error) {
	schemas := schemasOf(v, kind)
	named, _ := lookUp(in, "schemas").([]any)
	if !slices.ContainsFunc(named, func(x any) bool { s, _ := x.(string); return strings.EqualFold(s, schemas[0].ID) }) {
		return nil, bad(invalidSyntax, "schemas does not name %s", schemas[0].ID)
	}
	out := Resource{}
	for name, value := range in {
		if strings.EqualFold(name, "name") && kind == Users {
			out["fallback name"] = written(value)
		}
		if err := set(schemas, out, name, value, true); err != nil {
			return nil, err
		}
	}
	if name := textOf(out, "fallback name"); kind == Users && textOf(out, "displayName") == "" && name != "" {
		out["displayName"] = name
	}
	delete(out, "fallback name")
	for _, a := range schemas[0].Attributes {
		if a.Required && textOf(out, a.Name) == "" {
			return nil, bad(invalidValue, "%s is missing", a.Name)
		}
	}
	return out, nil
}

// written is how a name is written: as a whole, or from its parts.
func written(name any) string {
	x, _ := name.(Resource)
	text := func(part string) string { s, _ := lookUp(x, part).(string); return strings.TrimSpace(s) }
	if whole := text("formatted"); whole != "" {
		return whole
	}
	return strings.TrimSpace(text("givenName") + " " + text("familyName"))
}

// lookUp is the value of a name, without case (RFC 7643, section 2.1).
func lookUp(r Resource, name string) any {
	if v, ok := r[name]; ok {
		return v
	}
	for k, v := range r {
		if strings.EqualFold(k, name) {
			return v
		}
	}
	return nil
}

// set puts a value of a name into a resource. The name may have its schema's URI before it, or be
// that URI for an object of its attributes. What is not there is passed over, and so is what is
// only read, unless passing is false: then it is an error.
func set(schemas []Schema, to Resource, name string, value any, passing bool) error {
	for _, s := range schemas[1:] {
		if strings.EqualFold(name, s.ID) {
			inner, ok := value.(Resource)
			if !ok {
				return bad(invalidValue, "%s is no object", s.ID)
			}
			for k, v := range inner {
				if err := set(schemas, to, s.ID+":"+k, v, passing); err != nil {
					return err
				}
			}
			return nil
		}
	}
	uri, short := split(schemas, name)
	a, in := find(schemas, uri, short)
	if a == nil {
		if passing {
			return nil
		}
		return bad(invalidPath, "there is no attribute %q", name)
	}
	if a.Mutability == readOnly {
		if passing {
			return nil
		}
		return bad(mutability, "%s is only read", a.Name)
	}
	x, err := typed(a, value)
	if err != nil {
		return err
	}
	place(schemas, to, in, true)[a.Name] = x
	if x == nil {
		delete(place(schemas, to, in, true), a.Name)
	}
	return nil
}

// place is the object in which attributes of a schema lie; nil where it is not there and is not to
// be made.
func place(schemas []Schema, r Resource, uri string, make bool) Resource {
	if uri == schemas[0].ID {
		return r
	}
	in, ok := r[uri].(Resource)
	if !ok && make {
		in = Resource{}
		r[uri] = in
	}
	return in
}

// split takes the URI of a schema off the front of a name.
func split(schemas []Schema, name string) (uri, rest string) {
	for _, s := range schemas {
		if len(name) > len(s.ID) && strings.EqualFold(name[:len(s.ID)], s.ID) && name[len(s.ID)] == ':' {
			return s.ID, name[len(s.ID)+1:]
		}
	}
	return "", name
}

// typed is a value as its attribute has it; nil for none (RFC 7643, section 2.5).
func typed(a *Attribute, value any) (any, error) {
	if value == nil {
		return nil, nil
	}
	if !a.Multi {
		return single(a, value)
	}
	all, ok := value.([]any)
	if !ok {
		all = []any{value}
	}
	var out []any
	primaries := 0
	for _, v := range all {
		x, err := single(a, v)
		if err != nil {
			return nil, err
		}
		if in, is := x.(Resource); is && in["primary"] == true {
			primaries++
		}
		if x != nil {
			out = append(out, x)
		}
	}
	if primaries > 1 {
		return nil, bad(invalidValue, "%s has more than one primary", a.Name)
	}
	if out == nil {
		return nil, nil
	}
	return out, nil
}

func single(a *Attribute, value any) (any, error) {
	switch a.Type {
	case "boolean":
		if s, ok := value.(string); ok { // as some clients write it
			switch strings.ToLower(s) {
			case "true":
				return true, nil
			case "false":
				return false, nil
			}
		}
		if _, ok := value.(bool); !ok {
			return nil, bad(invalidValue, "%s is true or false", a.Name)
		}
		return value, nil
	case "complex":
		if s, ok := value.(string); ok && among(a.Sub, "value") != nil { // its value alone
			value = Resource{"value": s}
		}
		in, ok := value.(Resource)
		if !ok {
			return nil, bad(invalidValue, "%s is no object", a.Name)
		}
		out := Resource{}
		for name, v := range in {
			sub := among(a.Sub, name)
			if sub == nil || v == nil {
				continue
			}
			x, err := single(sub, v)
			if err != nil {
				return nil, err
			}
			out[sub.Name] = x
		}
		if len(out) == 0 {
			return nil, nil
		}
		return out, nil
	}
	s, ok := value.(string)
	if !ok {
		return nil, bad(invalidValue, "%s is no text", a.Name)
	}
	return s, nil
}

// fields are what a user's resource says, as operations have it.
type fields struct {
	texts  map[string]string // by the name of the field
	custom map[string]string // by the key of the declared attribute
	active *bool
}

// read takes the fields of a user out of a resource.
func readFields(v *seeing.View, r Resource) (f fields, err error) {
	enterprise, _ := r[EnterpriseSchema].(Resource)
	own, _ := r[RosterSchema].(Resource)
	manager, _ := enterprise["manager"].(Resource)
	f = fields{custom: map[string]string{}, texts: map[string]string{
		"display_name": textOf(r, "displayName"), "title": textOf(r, "title"), "employment_type": textOf(r, "userType"), "email": mainEmail(r),
		"company": textOf(enterprise, "organization"), "unit": textOf(enterprise, "department"), "manager": textOf(manager, "value"),
		"location": textOf(own, "location"), "start_date": textOf(own, "startDate"), "end_date": textOf(own, "endDate"),
	}}
	for _, field := range []string{"start_date", "end_date"} {
		if text := f.texts[field]; text != "" {
			if err := new(calendar.Date).UnmarshalText([]byte(text)); err != nil {
				return f, bad(invalidValue, "%s: %s", field, err)
			}
		}
	}
	for _, a := range v.Uncut().Attributes() {
		if a.Retired || a.Fill != nil {
			continue
		}
		f.custom[a.Key] = textOf(own, a.Key)
	}
	for name, key := range declared {
		if value := textOf(enterprise, name); value != "" {
			if _, is := f.custom[key]; is {
				f.custom[key] = value
			}
		}
	}
	if active, ok := r["active"].(bool); ok {
		f.active = &active
	}
	return f, nil
}

// mainEmail is the address that is kept: the primary, else that for work, else the first.
func mainEmail(r Resource) string {
	all, _ := r["emails"].([]any)
	best, weight := "", 0
	for _, x := range all {
		e, _ := x.(Resource)
		w := 1
		if kind, _ := e["type"].(string); strings.EqualFold(kind, "work") {
			w = 2
		}
		if e["primary"] == true {
			w = 3
		}
		if value := textOf(e, "value"); value != "" && w > weight {
			best, weight = value, w
		}
	}
	return best
}

// creating are the operations that make a resource; or, with a row, bring it back.
func (c *Client) creating(v *seeing.View, kind string, want Resource, row uint32) ([]operation, error) {
	if kind == Groups {
		return c.creatingGroup(v, want, row)
	}
	f, err := readFields(v, want)
	if err != nil {
		return nil, err
	}
	if row != 0 { // what the record had and the client does not say stays
		op := operation{"op": "update_user", "user": fact.UserID(row).String(), "status": status(f.active, fact.Active)}
		for field, value := range f.texts {
			if value != "" {
				op[field] = value
			}
		}
		if custom := nonBlank(f.custom); custom != nil {
			op["custom"] = custom
		}
		return []operation{op}, nil
	}
	op := operation{"op": "add_user", "user_name": textOf(want, "userName"), "status": status(f.active, fact.Active)}
	for field, value := range f.texts {
		if value != "" {
			op[field] = value
		}
	}
	if custom := nonBlank(f.custom); custom != nil {
		op["custom"] = custom
	}
	return []operation{op}, nil
}

func nonBlank(all map[string]string) (out map[string]string) {
	for k, v := range all {
		if v != "" {
			if out == nil {
				out = map[string]string{}
			}
			out[k] = v
		}
	}
	return out
}

// status is what active comes to for somebody who has one.
func status(active *bool, now fact.Status) fact.Status {
	switch {
	case active == nil:
		return now
	case *active:
		return fact.Active
	case now == fact.Active:
		return fact.Suspended
	}
	return now
}

// altering are the operations that bring a resource from what it is to what is wanted.
func (c *Client) altering(ctx context.Context, v *seeing.View, kind, id string, have, want Resource) ([]operation, error) {
	if kind == Groups {
		return c.alteringGroup(v, id, have, want)
	}
	if name := textOf(want, "userName"); !strings.EqualFold(name, textOf(have, "userName")) {
		if name == "" {
			return nil, bad(invalidValue, "userName is missing")
		}
		return nil, bad(mutability, "userName stays as it was made: %s", textOf(have, "userName"))
	}
	// A name that was altered in one place is altered in the other.
	if d, n := textOf(want, "displayName"), written(want["name"]); n != "" && n != textOf(have, "displayName") && d == textOf(have, "displayName") {
		want["displayName"] = n
	}
	is, err := readFields(v, have)
	if err != nil {
		return nil, err
	}
	to, err := readFields(v, want)
	if err != nil {
		return nil, err
	}
	op := operation{"op": "update_user", "user": id}
	for field, value := range to.texts {
		if value != is.texts[field] {
			op[field] = value
		}
	}
	custom := map[string]string{}
	for key, value := range to.custom {
		// The same attribute may be written under the enterprise's name or its own: what was altered counts.
		for name, k := range declared {
			if k != key {
				continue
			}
			own, _ := want[RosterSchema].(Resource)
			enterprise, _ := want[EnterpriseSchema].(Resource)
			if x, y := textOf(own, key), textOf(enterprise, name); x != is.custom[key] && y == is.custom[key] {
				value = x
			} else if y != is.custom[key] {
				value = y
			}
		}
		if value != is.custom[key] {
			custom[key] = value
		}
	}
	if len(custom) > 0 {
		op["custom"] = custom
	}
	n, _ := fact.ParseID("user", id)
	u := v.Uncut().User(fact.UserID(n))
	if u == nil {
		return nil, notFound(id)
	}
	if err := c.keepOverridden(ctx, v, u, &is, op); err != nil {
		return nil, err
	}
	if s := status(to.active, u.Status); s != u.Status {
		op["status"] = s
	}
	if len(op) == 2 {
		return nil, nil
	}
	return []operation{op}, nil
}
