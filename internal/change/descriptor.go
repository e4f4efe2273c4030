package change

import (
	"reflect"
	"slices"
	"strings"

	"ableroster/internal/fact"
)

// Descriptor is what there is to say about a kind of operation. It is read once from the
// fields of its type and their tags; decoding, the API's document, the subjects of what is
// stored, the command line's flags and the console's types follow from it.
type Descriptor struct {
	Verb   string
	Help   string // what it does, as a sentence without its full stop
	Fields []Field

	typ reflect.Type
}

// Field is one field of a kind of operation. Its tags: json (its name), doc (what it means),
// enum (what it may be), flag (its option on the command line, where that is not its name),
// set:"service" (nobody else sets it), subject:"no" (discreet).
type Field struct {
	Name     string
	Doc      string
	Flag     string
	OneOf    []string // what it may be; nil: anything
	Index    []int    // its place in the type, see reflect.Value.FieldByIndex
	Type     reflect.Type
	Refers   bool // its texts name things: ids, once the operation was applied
	Service  bool // set by the service when the operation is applied, and refused from others
	Discreet bool // what it names is no subject of the operation: its history does not tell of it
}

// Reference is a text in an operation that names something: a name, a key or an id; an id
// once the operation was applied.
type Reference interface{ Refers() }

var verbs = map[string]*Descriptor{}

// Register makes a kind of operation known, with what it does in a sentence.
func Register(op Operation, help string) {
	t := reflect.TypeOf(op).Elem()
	d := &Descriptor{Verb: op.Verb(), Help: help, typ: t}
	for _, f := range reflect.VisibleFields(t) {
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "" || name == "-" || !f.IsExported() {
			continue
		}
		x := Field{Name: name, Doc: f.Tag.Get("doc"), Flag: f.Tag.Get("flag"), Index: f.Index, Type: f.Type, Refers: refers(f.Type), Service: f.Tag.Get("set") == "service", Discreet: f.Tag.Get("subject") == "no"}
		if x.Flag == "" {
			x.Flag = strings.ReplaceAll(name, "_", "-")
		}
		if words := f.Tag.Get("enum"); words != "" {
			x.OneOf = strings.Split(words, ",")
		}
		d.Fields = append(d.Fields, x)
	}
	verbs[d.Verb] = d
}

// HasField says whether a kind of operation has a field that its author gives.
func HasField(verb, name string) bool {
	d := verbs[verb]
	return d != nil && slices.ContainsFunc(d.Fields, func(f Field) bool { return f.Name == name && !f.Service })
}

// refers says whether values of a type are references, or lists of them.
func refers(t reflect.Type) bool {
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	return t.Kind() == reflect.String && t.Implements(reflect.TypeFor[Reference]())
}

// New is an empty operation of the kind.
func (d *Descriptor) New() Operation { return reflect.New(d.typ).Interface().(Operation) }

// DescriptorOf is the descriptor of an operation's kind.
func DescriptorOf(op Operation) *Descriptor { return verbs[op.Verb()] }

// Descriptors are those of all kinds of operations, in order of verb.
func Descriptors() []*Descriptor {
	var out []*Descriptor
	for _, d := range verbs {
		out = append(out, d)
	}
	slices.SortFunc(out, func(a, b *Descriptor) int { return strings.Compare(a.Verb, b.Verb) })
	return out
}

// SubjectsOf are the ids an applied operation speaks of, in order: those by whose history it is
// found. What it names discreetly is none of them.
func SubjectsOf(op Operation) []string {
	out := []string{}
	add := func(v reflect.Value) {
		if id := v.String(); fact.LooksLikeID(id) && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	v := reflect.ValueOf(op).Elem()
	for _, f := range DescriptorOf(op).Fields {
		if !f.Refers || f.Discreet {
			continue
		}
		switch x := v.FieldByIndex(f.Index); x.Kind() {
		case reflect.Slice:
			for i := range x.Len() {
				add(x.Index(i))
			}
		case reflect.Pointer:
			if !x.IsNil() {
				add(x.Elem())
			}
		default:
			add(x)
		}
	}
	slices.Sort(out)
	return out
}
