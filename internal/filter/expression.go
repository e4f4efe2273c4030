package filter

import (
	"encoding/json"
	"strings"
)

// Expression is a parsed filter.
type Expression interface {
	// String writes the expression so that parsing it gives the same.
	String() string
}

// The expressions.
type (
	// Or and And hold of either and of both.
	Or  struct{ Left, Right Expression }
	And struct{ Left, Right Expression }
	// Not turns one round.
	Not struct{ Of Expression }
	// Compare compares an attribute with a value: a string, a float64, a
	// bool or nil for null.
	Compare struct {
		Attribute string // as written, its case kept
		Operator  Operator
		Value     any
		at        int
		valueAt   int
	}
	// Present holds when an attribute has a value.
	Present struct {
		Attribute string
		at        int
	}
	// Within holds when any value of a complex attribute satisfies the inner
	// expression: the value path of the RFC.
	Within struct {
		Attribute string
		Of        Expression
		at        int
	}
)

// Operator is one of the comparisons.
type Operator string

// The operators.
const (
	Equal          Operator = "eq"
	NotEqual       Operator = "ne"
	Contains       Operator = "co"
	StartsWith     Operator = "sw"
	EndsWith       Operator = "ew"
	Greater        Operator = "gt"
	GreaterOrEqual Operator = "ge"
	Less           Operator = "lt"
	LessOrEqual    Operator = "le"
)

var operators = []Operator{Equal, NotEqual, Contains, StartsWith, EndsWith, Greater, GreaterOrEqual, Less, LessOrEqual}

func (e *Or) String() string  { return inner(e.Left, e) + " or " + inner(e.Right, e) }
func (e *And) String() string { return inner(e.Left, e) + " and " + inner(e.Right, e) }
func (e *Not) String() string { return "not (" + e.Of.String() + ")" }
func (e *Compare) String() string {
	var value strings.Builder
	write := json.NewEncoder(&value)
	write.SetEscapeHTML(false) // people read it
	_ = write.Encode(e.Value)
	return e.Attribute + " " + string(e.Operator) + " " + strings.TrimSuffix(value.String(), "\n")
}
func (e *Present) String() string { return e.Attribute + " pr" }
func (e *Within) String() string  { return e.Attribute + "[" + e.Of.String() + "]" }

// inner writes a part of an and or an or, in parentheses where it binds less.
func inner(e, of Expression) string {
	_, isOr := e.(*Or)
	_, inAnd := of.(*And)
	if isOr && inAnd {
		return "(" + e.String() + ")"
	}
	return e.String()
}

// Attributes are the attributes an expression names, without case, those inside
// value paths as "groups.key"; each once, in order of their first place.
func Attributes(e Expression) []string {
	var out []string
	seen := map[string]bool{}
	var walk func(Expression, string)
	add := func(name string) {
		name = strings.ToLower(name)
		if !seen[name] {
			seen[name] = true
			out = append(out, name)
		}
	}
	walk = func(e Expression, prefix string) {
		switch e := e.(type) {
		case *Or:
			walk(e.Left, prefix)
			walk(e.Right, prefix)
		case *And:
			walk(e.Left, prefix)
			walk(e.Right, prefix)
		case *Not:
			walk(e.Of, prefix)
		case *Compare:
			add(prefix + e.Attribute)
		case *Present:
			add(prefix + e.Attribute)
		case *Within:
			walk(e.Of, e.Attribute+".")
		}
	}
	walk(e, "")
	return out
}
