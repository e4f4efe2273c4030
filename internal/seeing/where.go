package seeing

import (
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/wire"
)

// userSchema is what a filter over users may name: the attributes as the API
// writes them; within is the unit and all above it. What is personal is there
// too: lists may be searched by it, rules that give access may not.
var userSchema = func() filter.Schema {
	out := filter.Schema{{Name: "id", Type: filter.String, CaseExact: true}, {Name: "effective", Type: filter.Boolean}, {Name: "within", Type: filter.String, CaseExact: true}}
	for i := range fact.UserAttributes {
		a := fact.UserAttributes[i].Schema()
		if a.Name == "manager" {
			a.CaseExact = false // by user name here
		}
		out = append(out, a)
	}
	return append(out,
		filter.Attribute{Name: "groups", Type: filter.Complex, Sub: filter.Schema{{Name: "key", Type: filter.String, CaseExact: true}, {Name: "until", Type: filter.Time}}},
		filter.Attribute{Name: "roles", Type: filter.Complex, Sub: filter.Schema{{Name: "key", Type: filter.String, CaseExact: true}, {Name: "until", Type: filter.Time}, {Name: "origin", Type: filter.String}}})
}()

// Where reads a filter over users; a blank one lets everybody through.
func (v *View) Where(text string) (func(*fact.User) bool, []wire.Fault) {
	schema := v.UserSchema()
	e, faults := UserFilter(text, schema)
	if e == nil {
		return func(*fact.User) bool { return true }, faults
	}
	fits := filter.Compile(e, schema)
	source := &userSource{v: v} // one after the other
	return func(u *fact.User) bool {
		source.u = u
		return fits(source)
	}, faults
}

// Among are the users who alone can fit a filter, where it names a group or a role
// that all who fit were put into or given themselves: the rest need no look. ok is
// false where anybody may fit.
func (v *View) Among(e filter.Expression) (users map[fact.UserID]bool, ok bool) {
	switch e := e.(type) {
	case *filter.And:
		if users, ok := v.Among(e.Left); ok {
			return users, true
		}
		return v.Among(e.Right)
	case *filter.Or:
		a, ok1 := v.Among(e.Left)
		b, ok2 := v.Among(e.Right)
		if !ok1 || !ok2 {
			return nil, false
		}
		for id := range b {
			a[id] = true
		}
		return a, true
	case *filter.Within:
		if c, is := keyOf(e.Of); is {
			return v.holding(e.Attribute, c)
		}
	case *filter.Compare:
		if head, sub, dotted := strings.Cut(e.Attribute, "."); dotted && strings.EqualFold(sub, "key") && e.Operator == filter.Equal {
			if key, is := e.Value.(string); is {
				return v.holding(head, key)
			}
		}
	}
	return nil, false
}

// keyOf is the key that all which fits an expression must have.
func keyOf(e filter.Expression) (string, bool) {
	switch e := e.(type) {
	case *filter.And:
		if key, ok := keyOf(e.Left); ok {
			return key, true
		}
		return keyOf(e.Right)
	case *filter.Compare:
		key, is := e.Value.(string)
		return key, is && strings.EqualFold(e.Attribute, "key") && e.Operator == filter.Equal
	}
	return "", false
}

// holding are the users who were put into a group, or given a role, themselves.
func (v *View) holding(attribute, key string) (map[fact.UserID]bool, bool) {
	out := map[fact.UserID]bool{}
	switch strings.ToLower(attribute) {
	case "groups":
		if id, ok := v.snapshot.FindGroup(key); ok {
			for _, m := range v.snapshot.Members(id) {
				out[m.Member.User] = true
			}
		}
	case "roles":
		if id, ok := v.snapshot.FindRole(key); ok {
			for a := range v.snapshot.AssignmentHeads(id) {
				out[a.Assignee.User] = true
			}
		}
	default:
		return nil, false
	}
	return out, true
}

// UserFilter parses and checks a filter over users; a blank one is nil.
func UserFilter(text string, schema filter.Schema) (filter.Expression, []wire.Fault) {
	if text == "" {
		return nil, nil
	}
	e, err := filter.Parse(text)
	if err != nil {
		return nil, []wire.Fault{{Place: "filter", Message: err.Error()}}
	}
	var faults []wire.Fault
	for _, f := range filter.Check(e, text, schema) {
		faults = append(faults, wire.Fault{Place: "filter", Message: f.Error()})
	}
	return e, faults
}

// userSource gives the attributes of a user, within what the caller may read.
type userSource struct {
	v    *View
	u    *fact.User
	keys map[change.Subject]string // of groups and roles that were met; blank: outside
}

// key is that of a group or a role, blank where the caller may not read it.
func (s *userSource) key(kind fact.FactKind, row uint32) string {
	of := change.Subject{Kind: kind, Row: row}
	key, known := s.keys[of]
	if known {
		return key
	}
	if ref := s.v.SubjectRef(of); !ref.Outside {
		key = ref.Key
	}
	if s.keys == nil {
		s.keys = map[change.Subject]string{}
	}
	s.keys[of] = key
	return key
}

// Values implements filter.Source.
func (s *userSource) Values(attribute string) []any {
	u := s.u
	switch attribute {
	case "id":
		return text(u.ID.String())
	case "display_name":
		return text(Label(u))
	case "effective":
		return []any{s.v.snapshot.Effective(u.ID, s.v.At)}
	case "within":
		return fact.Within(u.Unit)
	case "manager":
		if m := s.v.UserRef(u.Manager); u.Manager != 0 && !m.Outside {
			return text(m.Key)
		}
		return nil
	case "groups":
		var out []any
		for _, m := range s.v.snapshot.MembershipsOf(fact.Member{User: u.ID}) {
			if key := s.key(fact.FactGroup, uint32(m.Group)); key != "" {
				out = append(out, &given{key, m.Window, ""})
			}
		}
		return out
	case "roles":
		var out []any
		s.v.snapshot.EachGiven(fact.Assignee{User: u.ID}, func(role fact.RoleID, w calendar.Window, o fact.Origin) {
			if key := s.key(fact.FactRole, uint32(role)); key != "" {
				out = append(out, &given{key, w, o})
			}
		})
		return out
	}
	if a := fact.UserAttributeOf(attribute); a != nil {
		return text(a.Of(u))
	}
	if f := s.v.snapshot.FindAttribute(attribute); f != nil {
		return f.Typed(u)
	}
	return nil
}

// Text implements filter.Texts.
func (s *userSource) Text(attribute string) (string, bool) {
	switch attribute {
	case "display_name":
		return Label(s.u), true
	case "manager":
		return "", false
	}
	if a := fact.UserAttributeOf(attribute); a != nil {
		return a.Of(s.u), true
	}
	return "", false
}

// Has implements filter.Texts.
func (s *userSource) Has(attribute, value string) (has, ok bool) {
	if attribute != "within" || value == "" {
		return false, false
	}
	rest, inside := strings.CutPrefix(s.u.Unit, value)
	return inside && (rest == "" || rest[0] == '/'), true
}

// given is a membership or an assignment as one value.
type given struct {
	key    string
	window calendar.Window
	origin fact.Origin
}

// Values implements filter.Source.
func (g *given) Values(attribute string) []any {
	switch attribute {
	case "key":
		return text(g.key)
	case "until":
		return ends(g.window)
	case "origin":
		return text(string(g.origin))
	}
	return nil
}

// Text implements filter.Texts.
func (g *given) Text(attribute string) (string, bool) {
	switch attribute {
	case "key":
		return g.key, true
	case "origin":
		return string(g.origin), true
	}
	return "", false
}

// Has implements filter.Texts.
func (*given) Has(string, string) (bool, bool) { return false, false }

func text(s string) []any {
	if s == "" {
		return nil
	}
	return []any{s}
}

func ends(w calendar.Window) []any {
	if w.Until == 0 {
		return nil
	}
	return []any{w.Until.Time()}
}
