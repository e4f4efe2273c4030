package filter

import (
	"cmp"
	"strings"
	"time"
)

// Source gives the values of the attributes of one thing: strings (also for
// dates, as YYYY-MM-DD), float64s, bools, time.Times, and Sources for the
// values of a complex attribute. None means the attribute has no value. Names
// come as the schema writes them.
//
// What the schema does not name is asked for by its name in small letters, and
// told by its values what it is: attributes that an organisation declares are
// matched without their declaration at hand.
type Source interface {
	Values(attribute string) []any
}

// Exact is a text that is compared with case, whatever the schema says.
type Exact string

// Match evaluates a checked expression.
func Match(e Expression, s Schema, of Source) bool {
	switch e := e.(type) {
	case *Or:
		return Match(e.Left, s, of) || Match(e.Right, s, of)
	case *And:
		return Match(e.Left, s, of) && Match(e.Right, s, of)
	case *Not:
		return !Match(e.Of, s, of)
	case *Present:
		_, values := resolve(e.Attribute, s, of)
		return len(values) > 0
	case *Within:
		a, values := resolve(e.Attribute, s, of)
		for _, v := range values {
			if inside, ok := v.(Source); ok && Match(e.Of, a.Sub, inside) {
				return true
			}
		}
		return false
	case *Compare:
		a, values := resolve(e.Attribute, s, of)
		return matchAny(e, a, values)
	}
	return false
}

// resolve finds an attribute and its values, those of a sub-attribute over all
// values of the complex one.
func resolve(name string, s Schema, of Source) (*Attribute, []any) {
	head, sub, dotted := strings.Cut(name, ".")
	a, ok := s.Find(head)
	if !ok {
		if dotted {
			return &Attribute{}, nil
		}
		return &Attribute{}, of.Values(strings.ToLower(head))
	}
	values := of.Values(a.Name)
	if !dotted {
		return a, values
	}
	inner, ok := a.Sub.Find(sub)
	if !ok {
		return &Attribute{}, nil
	}
	var out []any
	for _, v := range values {
		if inside, ok := v.(Source); ok {
			out = append(out, inside.Values(inner.Name)...)
		}
	}
	return inner, out
}

func matchAny(e *Compare, a *Attribute, values []any) bool {
	if e.Value == nil {
		return (len(values) == 0) == (e.Operator == Equal)
	}
	if len(values) == 0 {
		return e.Operator == NotEqual
	}
	for _, v := range values {
		if matchOne(e, a, v) {
			return true
		}
	}
	return false
}

func matchOne(e *Compare, a *Attribute, v any) bool {
	switch v := v.(type) {
	case Exact:
		return matchOne(e, &Attribute{CaseExact: true}, string(v))
	case string:
		want, ok := e.Value.(string)
		if !ok {
			return e.Operator == NotEqual
		}
		if !a.CaseExact {
			v, want = strings.ToLower(v), strings.ToLower(want)
		}
		switch e.Operator {
		case Contains:
			return strings.Contains(v, want)
		case StartsWith:
			return strings.HasPrefix(v, want)
		case EndsWith:
			return strings.HasSuffix(v, want)
		}
		return ordered(e.Operator, cmp.Compare(v, want))
	case float64:
		want, ok := e.Value.(float64)
		return ok && ordered(e.Operator, cmp.Compare(v, want)) || !ok && e.Operator == NotEqual
	case bool:
		return (v == e.Value) == (e.Operator == Equal)
	case time.Time:
		text, _ := e.Value.(string)
		if textual(e.Operator) {
			return matchOne(e, a, v.UTC().Format(time.RFC3339))
		}
		want, err := time.Parse(time.RFC3339, text)
		return err == nil && ordered(e.Operator, v.Compare(want))
	}
	return false
}

func ordered(o Operator, c int) bool {
	switch o {
	case Equal:
		return c == 0
	case NotEqual:
		return c != 0
	case Greater:
		return c > 0
	case GreaterOrEqual:
		return c >= 0
	case Less:
		return c < 0
	case LessOrEqual:
		return c <= 0
	}
	return false
}
