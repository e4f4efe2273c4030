package filter

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"ableroster/internal/near"
)

// Type is what the values of an attribute are.
type Type string

// The types. Complex attributes have sub-attributes and no value of their own.
const (
	String  Type = "string"
	Number  Type = "number"
	Boolean Type = "boolean"
	Day     Type = "date"     // "2027-01-31"
	Time    Type = "dateTime" // RFC 3339
	Complex Type = "complex"
)

// Attribute is one thing a filter may name.
type Attribute struct {
	Name      string // compared without case
	Type      Type
	CaseExact bool // strings are compared with case
	Sub       Schema
}

// Schema is the attributes there are.
type Schema []Attribute

// Find is the attribute of a name, perhaps with a sub-attribute: "groups.key".
func (s Schema) Find(name string) (*Attribute, bool) {
	head, sub, dotted := strings.Cut(name, ".")
	i := slices.IndexFunc(s, func(a Attribute) bool { return strings.EqualFold(a.Name, head) })
	if i < 0 {
		return nil, false
	}
	if dotted {
		return s[i].Sub.Find(sub)
	}
	return &s[i], true
}

// Check holds an expression to a schema: every attribute that is not there,
// every operator and value that does not go with its type, with its column in
// the text it was parsed from.
func Check(e Expression, text string, s Schema) []*Error {
	c := checker{text: text}
	c.walk(e, s)
	return c.faults
}

type checker struct {
	text   string
	faults []*Error
}

func (c *checker) fault(at int, format string, args ...any) {
	c.faults = append(c.faults, (&parser{text: c.text}).failAt(at, fmt.Sprintf(format, args...)))
}

func (c *checker) find(s Schema, name string, at int) *Attribute {
	a, ok := s.Find(name)
	if !ok {
		var names []string
		for _, x := range s {
			names = append(names, x.Name)
		}
		if meant := near.Words(name, names); meant != "" {
			c.fault(at, "there is no attribute “%s” here%s", name, meant)
		} else {
			c.fault(at, "there is no attribute “%s” here; there are %s", name, strings.Join(names, ", "))
		}
	}
	return a
}

func (c *checker) walk(e Expression, s Schema) {
	switch e := e.(type) {
	case *Or:
		c.walk(e.Left, s)
		c.walk(e.Right, s)
	case *And:
		c.walk(e.Left, s)
		c.walk(e.Right, s)
	case *Not:
		c.walk(e.Of, s)
	case *Present:
		c.find(s, e.Attribute, e.at)
	case *Within:
		if a := c.find(s, e.Attribute, e.at); a != nil {
			if a.Type != Complex {
				c.fault(e.at, "“%s” has no sub-attributes to look into", e.Attribute)
				return
			}
			c.walk(e.Of, a.Sub)
		}
	case *Compare:
		if a := c.find(s, e.Attribute, e.at); a != nil {
			c.compare(e, a)
		}
	}
}

func (c *checker) compare(e *Compare, a *Attribute) {
	if a.Type == Complex {
		c.fault(e.at, "“%s” has no value of its own; name a sub-attribute, as in %s.%s or %s[…]", e.Attribute, a.Name, a.Sub[0].Name, a.Name)
		return
	}
	if e.Value == nil {
		if e.Operator != Equal && e.Operator != NotEqual {
			c.fault(e.valueAt, "null goes only with eq and ne")
		}
		return
	}
	text, isText := e.Value.(string)
	switch a.Type {
	case String:
		if !isText {
			c.fault(e.valueAt, "“%s” is compared with text in double quotes", e.Attribute)
		}
	case Number:
		if _, ok := e.Value.(float64); !ok {
			c.fault(e.valueAt, "“%s” is compared with a number", e.Attribute)
		} else if textual(e.Operator) {
			c.fault(e.at, "%s does not go with a number", e.Operator)
		}
	case Boolean:
		if _, ok := e.Value.(bool); !ok {
			c.fault(e.valueAt, "“%s” is compared with true or false", e.Attribute)
		} else if e.Operator != Equal && e.Operator != NotEqual {
			c.fault(e.at, "%s does not go with true or false", e.Operator)
		}
	case Day:
		if _, err := time.Parse(time.DateOnly, text); (!isText || err != nil) && !textual(e.Operator) {
			c.fault(e.valueAt, "“%s” is compared with a date such as \"2027-01-31\"", e.Attribute)
		}
	case Time:
		if _, err := time.Parse(time.RFC3339, text); (!isText || err != nil) && !textual(e.Operator) {
			c.fault(e.valueAt, "“%s” is compared with a time such as \"2027-01-31T18:00:00Z\"", e.Attribute)
		}
	}
}

// textual says whether an operator looks into texts.
func textual(o Operator) bool { return o == Contains || o == StartsWith || o == EndsWith }
