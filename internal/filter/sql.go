package filter

import (
	"fmt"
	"strings"
	"time"
)

// Columns say where the values of attributes lie in a query, by the name the
// schema gives them.
type Columns map[string]Column

// Column is where the values of one attribute lie: one in an expression, or
// one a row in a table. The texts are SQL.
type Column struct {
	Value string  // text, number, boolean or time; null for no value. A day is text
	From  string  // of many values: a FROM item with a row for each
	Sub   Columns // of a complex attribute, over the rows of From
}

// SQL writes a checked expression as a condition for PostgreSQL that holds of
// the rows Match holds of, and is never null. Its parameters are numbered from
// first on. ok is false where an attribute has no column.
func SQL(e Expression, s Schema, c Columns, first int) (condition string, args []any, ok bool) {
	t := translator{first: first}
	condition = t.expression(e, s, c)
	return condition, t.args, !t.lost
}

type translator struct {
	first int
	args  []any
	lost  bool
}

func (t *translator) arg(v any) string {
	t.args = append(t.args, v)
	return fmt.Sprintf("$%d", t.first+len(t.args)-1)
}

func (t *translator) expression(e Expression, s Schema, c Columns) string {
	switch e := e.(type) {
	case *Or:
		return "(" + t.expression(e.Left, s, c) + " or " + t.expression(e.Right, s, c) + ")"
	case *And:
		return "(" + t.expression(e.Left, s, c) + " and " + t.expression(e.Right, s, c) + ")"
	case *Not:
		return "not " + t.expression(e.Of, s, c)
	case *Present:
		_, from, value := t.find(e.Attribute, s, c)
		return some(from, value+" is not null")
	case *Within:
		a, col, ok := t.column(e.Attribute, s, c)
		if !ok {
			return "false"
		}
		return some(col.From, t.expression(e.Of, a.Sub, col.Sub))
	case *Compare:
		return t.compare(e, s, c)
	}
	t.lost = true
	return "false"
}

// some says that a condition holds of the row itself, or of any row of from.
func some(from, condition string) string {
	if from == "" {
		return "(" + condition + ")"
	}
	return "exists (select from " + from + " where " + condition + ")"
}

func (t *translator) column(name string, s Schema, c Columns) (*Attribute, Column, bool) {
	a, ok := s.Find(name)
	if !ok {
		t.lost = true
		return &Attribute{}, Column{}, false
	}
	col, ok := c[a.Name]
	t.lost = t.lost || !ok
	return a, col, ok
}

// find is an attribute, perhaps one inside a complex one, and where it lies.
func (t *translator) find(name string, s Schema, c Columns) (a *Attribute, from, value string) {
	head, sub, dotted := strings.Cut(name, ".")
	a, col, ok := t.column(head, s, c)
	from, value = col.From, col.Value
	switch {
	case !ok:
		return a, "", "null"
	case dotted:
		a, col, _ = t.column(sub, a.Sub, col.Sub)
		value = col.Value
	case a.Type == Complex: // it is there when a row is
		value = "true"
	}
	if value == "" {
		t.lost = true
		value = "null"
	}
	return a, from, "(" + value + ")"
}

func (t *translator) compare(e *Compare, s Schema, c Columns) string {
	a, from, value := t.find(e.Attribute, s, c)
	has := some(from, value+" is not null")
	if e.Value == nil {
		if e.Operator == Equal {
			return "not " + has
		}
		return has
	}
	holds := some(from, value+" is not null and "+t.one(e, a, value))
	if e.Operator == NotEqual {
		return "(not " + has + " or " + holds + ")"
	}
	return holds
}

var signs = map[Operator]string{Equal: "=", NotEqual: "<>", Greater: ">", GreaterOrEqual: ">=", Less: "<", LessOrEqual: "<="}

// one compares a value that is there. Texts are compared by their bytes, as in
// Match.
func (t *translator) one(e *Compare, a *Attribute, value string) string {
	text, isText := e.Value.(string)
	switch {
	case a.Type == Time && !textual(e.Operator):
		at, err := time.Parse(time.RFC3339, text)
		t.lost = t.lost || err != nil
		return value + " " + signs[e.Operator] + " " + t.arg(at) + "::timestamptz"
	case a.Type == Time:
		value = "to_char(" + value + ` at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`
	case !isText:
		kind := map[bool]string{true: "boolean", false: "double precision"}[a.Type == Boolean]
		return value + " " + signs[e.Operator] + " " + t.arg(e.Value) + "::" + kind
	}
	if !a.CaseExact {
		value, text = "lower("+value+")", strings.ToLower(text)
	}
	want := t.arg(text) + "::text"
	switch e.Operator {
	case Contains:
		return "position(" + want + " in " + value + ") > 0"
	case StartsWith:
		return "starts_with(" + value + ", " + want + ")"
	case EndsWith:
		return "right(" + value + ", length(" + want + ")) = " + want
	}
	return value + ` collate "C" ` + signs[e.Operator] + " " + want
}
