package access

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"

	"ableroster/internal/calendar"
	"ableroster/internal/strictjson"
)

// Operation is one step of a change. Each kind is a file op_*.go with its
// fields, its faults, what it opens and closes, and its sentence. References
// (UserRef, RoleRef …) are names, keys or ids when asked for; applying an
// operation settles them to ids, so that what the ledger keeps names things
// for ever.
type Operation interface {
	// Verb is the operation's name: "grant".
	Verb() string
	// apply does it to the draft, or files faults.
	ApplyTo(d *Draft)
	// Sentence says what it did in plain words; s is the snapshot after it.
	Sentence(s *Snapshot, n Names) string
}

// Names turns ids into what people call them.
type Names interface {
	UserName(UserID) string
}

// verbs makes an empty operation of each kind.
var verbs = map[string]func() Operation{}

// Register makes a kind of operation known.
func Register(op Operation) {
	t := reflect.TypeOf(op).Elem()
	verbs[op.Verb()] = func() Operation { return reflect.New(t).Interface().(Operation) }
}

// Verbs are the kinds of operations in order of name, each with an empty one.
func Verbs() []Operation {
	var out []Operation
	for _, f := range verbs {
		out = append(out, f())
	}
	slices.SortFunc(out, func(a, b Operation) int { return strings.Compare(a.Verb(), b.Verb()) })
	return out
}

// EncodeOperation is the JSON of an operation with its "op".
func EncodeOperation(op Operation) (json.RawMessage, error) {
	raw, err := json.Marshal(op)
	if err != nil {
		return nil, err
	}
	head, _ := json.Marshal(op.Verb())
	if string(raw) == "{}" {
		return fmt.Appendf(nil, `{"op":%s}`, head), nil
	}
	return fmt.Appendf(nil, `{"op":%s,%s`, head, raw[1:]), nil
}

// Clone copies an operation. Applying settles references in place, to ids that
// hold for that draft alone: what may be applied to another draft is applied as
// a copy.
//
// The copy shares nothing with the operation that applying could write into: lists
// within lists and what pointers lead to are copied too.
func Clone(op Operation) Operation {
	from := reflect.ValueOf(op).Elem()
	to := reflect.New(from.Type())
	to.Elem().Set(from)
	unshare(to.Elem())
	return to.Interface().(Operation)
}

// unshare copies in place what a value shares with the one it is a copy of. Fields
// that are not exported, those of a Schedule and of what was read back from the
// ledger, are never written into.
func unshare(v reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			p := reflect.New(v.Type().Elem())
			p.Elem().Set(v.Elem())
			unshare(p.Elem())
			v.Set(p)
		}
	case reflect.Slice:
		if v.IsNil() {
			return
		}
		s := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
		reflect.Copy(s, v)
		v.Set(s)
		if holdsShared(v.Type().Elem()) {
			for i := range v.Len() {
				unshare(v.Index(i))
			}
		}
	case reflect.Map:
		if v.IsNil() {
			return
		}
		m := reflect.MakeMapWithSize(v.Type(), v.Len())
		for each := v.MapRange(); each.Next(); {
			m.SetMapIndex(each.Key(), each.Value()) // of texts
		}
		v.Set(m)
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Field(i); f.CanSet() && holdsShared(f.Type()) {
				unshare(f)
			}
		}
	}
}

// holdsShared says whether values of a type may share something once copied.
func holdsShared(t reflect.Type) bool {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Map, reflect.Struct:
		return true
	}
	return false
}

// Apply does one operation, the i-th of its change. Faults, needs and notes
// gather in the draft.
func (d *Draft) Apply(i int, op Operation, at calendar.Instant) {
	d.op, d.at = i, at
	op.ApplyTo(d)
}

// Finish does what follows from the whole change: default rules give and take;
// and checks what only the whole shows: a role that gives anything in Able
// Roster must not have come to public. It is called once, after the last
// operation.
func (d *Draft) Finish() {
	if len(d.Faults) > 0 {
		return
	}
	d.giveDefaults()
	d.letGo()
	for _, g := range d.groups.At(int(PublicGroup)).given {
		f := d.Assignment(g.assignment())
		for _, r := range d.roles.At(int(f.Role)).closure {
			for _, p := range d.RolePermissions(r) {
				if p.Application == AbleRoster {
					d.fault("", "the group public would hold %s, which gives rights in able-roster: nothing in it is for everybody", d.RoleKey(f.Role))
					return
				}
			}
		}
	}
}

// Fault is one thing wrong with a change.
type Fault struct {
	Operation int    // which operation, counted from 0
	Field     string // in which field, or nothing for the whole
	Message   string
	Hints     []string // near-miss names, for those who may see them
	Subject   FactKind // what kind of name the hints would be
	Given     string   // the name that was not found
	Tells     bool     // it tells its author that there is something they may not see
	NotHeld   *NotHeld // that somebody does not hold a role
}

// NotHeld is a role that somebody does not hold.
type NotHeld struct {
	Assignee Assignee
	Role     RoleID
}

func (f *Fault) Error() string {
	if f.Field == "" {
		return f.Message
	}
	return f.Field + " " + f.Message
}

func (d *Draft) fault(field, format string, args ...any) {
	d.Faults = append(d.Faults, Fault{Operation: d.op, Field: field, Message: fmt.Sprintf(format, strictjson.Shorts(args)...)})
}

// taken files the fault of a name that somebody or something has already. That cannot be
// kept from whoever may not see whom.
func (d *Draft) taken(field string, kind FactKind, row uint32, name, kept string) {
	d.fault(field, "“%s” is taken: %s are never reused", name, kept)
	d.Faults[len(d.Faults)-1].Tells = !d.visible(kind, row)
}

// judged files the fault of a rule that older revisions may break: what was
// committed before it was made stays so.
func (d *Draft) judged(field, format string, args ...any) bool {
	if !d.Replays {
		d.fault(field, format, args...)
	}
	return d.Replays
}

// need asks the author for a right, once for all the operations that need it, and
// says whether they have it.
func (d *Draft) need(action, path, what string, args ...any) bool {
	d.ask(action, path, what, args...)
	return d.May == nil || d.May(action, path)
}

func (d *Draft) ask(action, path, what string, args ...any) {
	k := needKey{action, path}
	if len(d.Needs) < fewNeeds {
		if slices.ContainsFunc(d.Needs, func(n Need) bool { return n.Action == action && n.Path == path }) {
			return
		}
	} else {
		if d.needed == nil {
			d.needed = map[needKey]bool{}
			for _, n := range d.Needs {
				d.needed[needKey{n.Action, n.Path}] = true
			}
		}
		if d.needed[k] {
			return
		}
		d.needed[k] = true
	}
	d.Needs = append(d.Needs, Need{d.op, action, path, fmt.Sprintf(what, args...)})
}

type needKey struct{ action, path string }

// fewNeeds are soon looked through.
const fewNeeds = 16

// Note is something worth saying about an operation that changed nothing.
type Note struct {
	Operation int
	Code      NoteCode
	Since     int64 // the revision since which it is so
}

// NoteCode names a note.
type NoteCode string

// The notes.
const (
	AlreadyHeld   NoteCode = "already_held"
	AlreadyMember NoteCode = "already_member"
	AlreadySo     NoteCode = "already_so"
)

func (d *Draft) note(code NoteCode, since int64) {
	d.Notes = append(d.Notes, Note{d.op, code, since})
}

// Subject is a thing whose facts an operation read.
type Subject struct {
	Kind FactKind
	Row  uint32
}

func (d *Draft) read(kind FactKind, row uint32) { d.reads = append(d.reads, Subject{kind, row}) }

// Moved are the things the draft's operations read that were changed after a
// revision: what somebody who looked at that revision did not see.
func (d *Draft) Moved(basedOn int64) []Subject {
	var out []Subject
	for _, r := range d.reads {
		if d.base.touchedAt(r) > basedOn && !slices.Contains(out, r) {
			out = append(out, r)
		}
	}
	return out
}

func (s *Snapshot) touchedAt(r Subject) int64 {
	i := int(r.Row)
	switch r.Kind {
	case FactUser:
		if u := s.users.At(i); u != nil {
			return u.touched
		}
	case FactGroup:
		if g := s.groups.At(i); g != nil {
			return g.touched
		}
	case FactRole:
		if x := s.roles.At(i); x != nil {
			return x.touched
		}
	case FactApplication:
		if a := s.applications.At(i); a != nil {
			return a.touched
		}
	}
	if f := s.RecordFact(r.Kind, r.Row); f != nil {
		return f.Since()
	}
	return 0
}

// SubjectsOf are the ids an applied operation speaks of, in order.
func SubjectsOf(op Operation) []string {
	out := []string{}
	add := func(f reflect.Value) {
		if id := f.String(); f.Kind() == reflect.String && LooksLikeID(id) && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	v := reflect.ValueOf(op).Elem()
	for _, i := range referringFields(v.Type()) {
		f := v.FieldByIndex(i)
		if f.Kind() == reflect.Pointer {
			f = f.Elem() // the zero Value when it is nil
		}
		if f.Kind() == reflect.Slice {
			for i := range f.Len() {
				add(f.Index(i))
			}
			continue
		}
		add(f)
	}
	slices.Sort(out)
	return out
}

var referringOf sync.Map // of a type of operation: where its fields that hold ids are

func referringFields(t reflect.Type) [][]int {
	if known, ok := referringOf.Load(t); ok {
		return known.([][]int)
	}
	out := [][]int{}
	for _, f := range reflect.VisibleFields(t) {
		if name, _, _ := strings.Cut(f.Tag.Get("json"), ","); referring[name] {
			out = append(out, f.Index)
		}
	}
	referringOf.Store(t, out)
	return out
}

// referring are the fields of operations that hold ids once applied.
var referring = map[string]bool{"user": true, "manager": true, "group": true, "member_group": true, "application": true,
	"resource": true, "role": true, "includes": true, "excludes": true, "inclusion": true, "permission": true,
	"membership": true, "assignment": true, "default": true, "sod_rule": true, "expectation": true, "attribute": true, "route": true, "request": true, "round": true, "things": true, "to": true, "roles": true, "groups": true, "revoked": true, "proposed": true, "owner": true, "fence": true, "trial_group": true}
