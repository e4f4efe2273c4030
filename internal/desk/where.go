package desk

import (
	"ableroster/internal/access"
	"ableroster/internal/filter"
	"ableroster/wire"
)

// userSchema is what a filter over users may name: the attributes as the API
// writes them; within is the unit and all above it. What is personal is there
// too: lists may be searched by it, rules that give access may not.
var userSchema = filter.Schema{
	{Name: "id", Type: filter.String, CaseExact: true},
	{Name: "user_name", Type: filter.String},
	{Name: "display_name", Type: filter.String},
	{Name: "email", Type: filter.String},
	{Name: "kind", Type: filter.String},
	{Name: "status", Type: filter.String},
	{Name: "effective", Type: filter.Boolean},
	{Name: "unit", Type: filter.String, CaseExact: true},
	{Name: "within", Type: filter.String, CaseExact: true},
	{Name: "title", Type: filter.String},
	{Name: "manager", Type: filter.String},
	{Name: "employment_type", Type: filter.String},
	{Name: "location", Type: filter.String},
	{Name: "start_date", Type: filter.Day},
	{Name: "end_date", Type: filter.Day},
	{Name: "groups", Type: filter.Complex, Sub: filter.Schema{{Name: "key", Type: filter.String, CaseExact: true}, {Name: "until", Type: filter.Time}}},
	{Name: "roles", Type: filter.Complex, Sub: filter.Schema{{Name: "key", Type: filter.String, CaseExact: true}, {Name: "until", Type: filter.Time}, {Name: "origin", Type: filter.String}}},
}

// where reads a filter over users; a blank one lets everybody through.
func (v *View) where(text string) (func(*access.User) bool, []wire.Fault) {
	e, faults := userFilter(text)
	if e == nil {
		return func(*access.User) bool { return true }, faults
	}
	return func(u *access.User) bool { return filter.Match(e, userSchema, &userSource{v, u}) }, faults
}

// userFilter parses and checks a filter over users; a blank one is nil.
func userFilter(text string) (filter.Expression, []wire.Fault) {
	if text == "" {
		return nil, nil
	}
	e, err := filter.Parse(text)
	if err != nil {
		return nil, []wire.Fault{{Place: "filter", Message: err.Error()}}
	}
	var faults []wire.Fault
	for _, f := range filter.Check(e, text, userSchema) {
		faults = append(faults, wire.Fault{Place: "filter", Message: f.Error()})
	}
	return e, faults
}

// userSource gives the attributes of a user, within what the caller may read.
type userSource struct {
	v *View
	u *access.User
}

// Values implements filter.Source.
func (s *userSource) Values(attribute string) []any {
	u := s.u
	switch attribute {
	case "id":
		return text(u.ID.String())
	case "user_name":
		return text(u.UserName)
	case "display_name":
		return text(label(u))
	case "email":
		return text(u.Email)
	case "kind":
		return text(string(u.UserKind))
	case "status":
		return text(string(u.Status))
	case "effective":
		return []any{s.v.Effective(u.ID, s.v.at)}
	case "unit":
		return text(u.Unit)
	case "within":
		return access.Within(u.Unit)
	case "title":
		return text(u.Title)
	case "manager":
		if m := s.v.userRef(u.Manager); u.Manager != 0 && !m.Outside {
			return text(m.Key)
		}
	case "employment_type":
		return text(u.Employment)
	case "location":
		return text(u.Location)
	case "start_date":
		return text(u.Start.String())
	case "end_date":
		return text(u.End.String())
	case "groups":
		var out []any
		for _, m := range s.v.MembershipsOf(access.Member{User: u.ID}) {
			if ref := s.v.groupRef(m.Group, false); !ref.Outside {
				out = append(out, fields{"key": text(ref.Key), "until": ends(m.Window)})
			}
		}
		return out
	case "roles":
		var out []any
		for _, a := range s.v.Given(access.Assignee{User: u.ID}) {
			if ref := s.v.roleRef(a.Role, false); !ref.Outside {
				out = append(out, fields{"key": text(ref.Key), "until": ends(a.Window), "origin": text(string(a.Origin))})
			}
		}
		return out
	}
	return nil
}

// fields are the sub-attributes of one value.
type fields map[string][]any

// Values implements filter.Source.
func (f fields) Values(attribute string) []any { return f[attribute] }

func text(s string) []any {
	if s == "" {
		return nil
	}
	return []any{s}
}

func ends(w access.Window) []any {
	if w.Until == 0 {
		return nil
	}
	return []any{w.Until.Time()}
}
