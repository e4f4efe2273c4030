package fact

import (
	"strings"

	"ableroster/internal/filter"
	"ableroster/internal/patterns"
)

// A group may choose members by a filter over users' facts. Membership by
// filter follows from the attributes at a revision alone: no groups, no clock,
// and nothing personal, since what can be erased may give no access.

// RuleSchema is what such a filter may name. The manager is named by id.
var RuleSchema = func() filter.Schema {
	out := filter.Schema{{Name: "within", Type: filter.String, CaseExact: true}}
	for i := range UserAttributes {
		if a := &UserAttributes[i]; !a.Personal {
			out = append(out, a.Schema())
		}
	}
	return out
}()

// Schema is what a filter may say of it.
func (a *UserAttribute) Schema() filter.Attribute {
	return filter.Attribute{Name: a.Key, Type: a.Type, CaseExact: a.CaseExact}
}

// Values implements filter.Source over the facts of a user.
func (u *User) Values(attribute string) []any {
	if attribute == "within" {
		return Within(u.Unit)
	}
	a := UserAttributeOf(attribute)
	if a == nil {
		return u.Custom.Typed(attribute)
	}
	if text := a.Of(u); text != "" {
		return []any{text}
	}
	return nil
}

// Within is a unit and all above it, as values of a filter.
func Within(unit string) []any {
	var out []any
	for i := range len(unit) {
		if unit[i] == '/' {
			out = append(out, unit[:i])
		}
	}
	if unit != "" {
		out = append(out, unit)
	}
	return out
}

// CompileRule is a checked filter; nil for none, and for one that is broken.
func CompileRule(text string) filter.Expression {
	if text == "" {
		return nil
	}
	e, err := filter.Parse(text)
	if err != nil {
		return nil
	}
	return e
}

// ChosenBy says whether a filter chooses a user.
func ChosenBy(text string, u *User) bool {
	e := CompileRule(text)
	return e != nil && filter.Match(e, RuleSchema, u)
}

// RuleReach is the part of the register of users a filter stays within: that of a
// unit it insists on, else all of it, as for a blank one.
func RuleReach(text string) string {
	if text == "" {
		return "users"
	}
	return RuleReachOf(text)
}

// RuleReachOf is the part of the register of users a filter stays within: that
// of a unit it insists on, else all of it.
func RuleReachOf(text string) string {
	path := "users"
	var walk func(filter.Expression)
	walk = func(e filter.Expression) {
		switch e := e.(type) {
		case *filter.And:
			walk(e.Left)
			walk(e.Right)
		case *filter.Compare:
			unit, ok := e.Value.(string)
			name := strings.ToLower(e.Attribute)
			if ok && e.Operator == filter.Equal && (name == "within" || name == "unit") && patterns.CheckPath(unit) == nil && unit != patterns.Root && path == "users" {
				path = patterns.Join("users", unit)
			}
		}
	}
	walk(CompileRule(text))
	return path
}
