package filter

import (
	"fmt"
	"strings"
)

// Words says an expression over users in plain English, as what follows "users": "in
// Marine / Pilotage and below, with title Pilot". label gives the name people use for an
// attribute ("employment_type": "employment type").
func Words(e Expression, label func(attribute string) string) string {
	w := worder{label}
	return w.of(e)
}

type worder struct{ label func(string) string }

func (w worder) of(e Expression) string {
	switch e := e.(type) {
	case *Or:
		return w.inner(e.Left) + " or " + w.inner(e.Right)
	case *And:
		return w.inner(e.Left) + " and " + w.inner(e.Right)
	case *Not:
		return "not (" + w.of(e.Of) + ")"
	case *Present:
		return "with a " + w.label(e.Attribute)
	case *Compare:
		return w.compare(e)
	}
	return "that match " + e.String()
}

// inner puts an or inside of an and, and the other way round, in parentheses.
func (w worder) inner(e Expression) string {
	switch e.(type) {
	case *Or:
		return "(" + w.of(e) + ")"
	}
	return w.of(e)
}

var comparisons = map[Operator]string{
	Equal: "", NotEqual: "other than ", Contains: "containing ", StartsWith: "beginning with ", EndsWith: "ending with ",
	Greater: "after ", GreaterOrEqual: "from ", Less: "before ", LessOrEqual: "up to ",
}

func (w worder) compare(e *Compare) string {
	value := fmt.Sprint(e.Value)
	name := strings.ToLower(e.Attribute)
	unit := func(v string) string {
		parts := strings.Split(v, "/")
		for i, p := range parts {
			if p != "" {
				parts[i] = strings.ToUpper(p[:1]) + p[1:]
			}
		}
		return strings.Join(parts, " / ")
	}
	switch {
	case e.Value == nil && e.Operator == Equal:
		return "without a " + w.label(e.Attribute)
	case e.Value == nil:
		return "with a " + w.label(e.Attribute)
	case name == "within" && e.Operator == Equal:
		return "in " + unit(value) + " and below"
	case name == "within" && e.Operator == NotEqual:
		return "outside " + unit(value)
	case name == "unit" && e.Operator == Equal:
		return "in " + unit(value) + " itself"
	case e.Value == true && e.Operator == Equal:
		return "with " + w.label(e.Attribute)
	case e.Value == false && e.Operator == Equal:
		return "without " + w.label(e.Attribute)
	}
	switch e.Value.(type) {
	case float64:
		return "with " + w.label(e.Attribute) + " " + map[Operator]string{Equal: "", NotEqual: "other than ", Greater: "above ", GreaterOrEqual: "at least ", Less: "below ", LessOrEqual: "at most "}[e.Operator] + value
	}
	return "with " + w.label(e.Attribute) + " " + comparisons[e.Operator] + "“" + value + "”"
}
