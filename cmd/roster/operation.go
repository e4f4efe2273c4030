package main

import (
	"slices"
	"strings"

	"ableroster/wire"
)

// operation is a kind of operation whose fields are options of a command, made from what
// the service registered: a field that is added there is an option here.
type operation struct {
	c    *call
	kind wire.OperationKind
	read map[string]func() any // of the fields that are options, by name
}

// operation makes options of the fields of a kind of operation, but of some: those that are
// arguments, and those that are said in another way.
func (c *call) operation(verb string, but ...string) *operation {
	o := &operation{c: c, kind: wire.OperationOf(verb), read: map[string]func() any{}}
	for _, f := range o.kind.Fields {
		if slices.Contains(but, f.Name) {
			continue
		}
		doc := f.Doc
		switch f.Type {
		case "text", "day":
			v := c.flags.String(f.Flag, "", doc+oneOf(f.OneOf))
			o.read[f.Name] = func() any { return *v }
		case "truth":
			v := c.flags.Bool(f.Flag, false, doc)
			o.read[f.Name] = func() any { return *v }
		case "number":
			v := c.flags.Int(f.Flag, 0, doc)
			o.read[f.Name] = func() any { return *v }
		case "texts":
			v := &names{}
			c.flags.Var(v, f.Flag, doc+"; may be given again")
			o.read[f.Name] = func() any { return []string(*v) }
		}
	}
	return o
}

// with is the operation with what was given, blank or not, and with these fields; some says
// whether an option was given.
func (o *operation) with(fields map[string]any) (op map[string]any, some bool) {
	op = map[string]any{"op": o.kind.Verb}
	for _, f := range o.kind.Fields {
		if read := o.read[f.Name]; read != nil && o.c.given(f.Flag) {
			op[f.Name], some = read(), true
		}
	}
	for name, value := range fields {
		op[name] = value
	}
	return op, some
}

// oneOf says what a field may be.
func oneOf(words []string) string {
	said := slices.DeleteFunc(slices.Clone(words), func(w string) bool { return w == "" })
	if len(said) == 0 {
		return ""
	}
	return ": " + strings.Join(said, ", ")
}
