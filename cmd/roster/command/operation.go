package command

import (
	"slices"
	"strings"

	"ableroster/wire"
)

// Operation is a kind of operation whose fields are options of a command, made from what
// the service registered: a field that is added there is an option here.
type Operation struct {
	c    *Call
	kind wire.OperationKind
	read map[string]func() any // of the fields that are options, by name
}

// Operation makes options of the fields of a kind of operation, but of some: those that are
// arguments, and those that are said in another way.
func (c *Call) Operation(verb string, but ...string) *Operation {
	o := &Operation{c: c, kind: wire.OperationOf(verb), read: map[string]func() any{}}
	for _, f := range o.kind.Fields {
		if slices.Contains(but, f.Name) {
			continue
		}
		doc := f.Doc
		switch f.Type {
		case "text", "day":
			v := c.Flags.String(f.Flag, "", doc+oneOf(f.OneOf))
			o.read[f.Name] = func() any { return *v }
		case "truth":
			v := c.Flags.Bool(f.Flag, false, doc)
			o.read[f.Name] = func() any { return *v }
		case "number":
			v := c.Flags.Int(f.Flag, 0, doc)
			o.read[f.Name] = func() any { return *v }
		case "texts":
			v := &Names{}
			c.Flags.Var(v, f.Flag, doc+"; may be given again")
			o.read[f.Name] = func() any { return []string(*v) }
		}
	}
	return o
}

// With is the operation with what was given, blank or not, and with these fields; some says
// whether an option was given.
func (o *Operation) With(fields map[string]any) (op map[string]any, some bool) {
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
