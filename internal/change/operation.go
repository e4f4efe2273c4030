package change

import (
	"encoding/json"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
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
	// ApplyTo does it to a draft, or files faults there, and is the operation settled: with
	// ids in the place of names. The operation itself stays as it is, so that it may be
	// applied to another draft, by another goroutine too.
	ApplyTo(d *Draft) Operation
	// Sentence says what it did in plain words; s is the snapshot after it.
	Sentence(s *access.Snapshot, n Names) string
}

// Names turns ids into what people call them.
type Names interface {
	UserName(fact.UserID) string
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

// Apply does one operation, the i-th of its change, and is the operation settled.
// Faults, needs and notes gather in the draft.
func (d *Draft) Apply(i int, op Operation, at calendar.Instant) Operation {
	d.Rest(i)
	d.op, d.at = i, at
	return op.ApplyTo(d)
}

// Rest calls Calm now and then, of many things.
func (d *Draft) Rest(i int) {
	if d.Calm != nil && i%64 == 63 {
		d.Calm()
	}
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
	d.endShares()
	for _, f := range finishing {
		f(d)
	}
	for _, g := range d.GroupTable.At(int(fact.PublicGroup)).Given {
		f := d.Assignment(g.Assignment())
		for _, r := range d.RoleTable.At(int(f.Role)).Closure {
			for _, p := range d.RolePermissions(r) {
				if p.Application == fact.AbleRoster {
					d.Fault("", "the group public would hold %s, which gives rights in able-roster: nothing in it is for everybody", d.RoleKey(f.Role))
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
	Hints     []string      // near-miss names, for those who may see them
	Subject   fact.FactKind // what kind of name the hints would be
	Given     string        // the name that was not found
	Tells     bool          // it tells its author that there is something they may not see
	NotHeld   *NotHeld      // that somebody does not hold a role
}

// NotHeld is a role that somebody does not hold.
type NotHeld struct {
	Assignee fact.Assignee
	Role     fact.RoleID
}

// Error implements error.
func (f *Fault) Error() string {
	if f.Field == "" {
		return f.Message
	}
	return f.Field + " " + f.Message
}

// Fault files a fault of the operation being applied, in one of its fields, or in none for
// the whole.
func (d *Draft) Fault(field, format string, args ...any) {
	d.Faults = append(d.Faults, Fault{Operation: d.op, Field: field, Message: fmt.Sprintf(format, strictjson.Shorts(args)...)})
}

// Taken files the fault of a name that somebody or something has already. That cannot be
// kept from whoever may not see whom.
func (d *Draft) Taken(field string, kind fact.FactKind, row uint32, name, kept string) {
	d.Fault(field, "“%s” is taken: %s are never reused", name, kept)
	d.Faults[len(d.Faults)-1].Tells = !d.MaySee(kind, row)
}

// Judged files the fault of a rule that older revisions may break: what was
// committed before it was made stays so.
func (d *Draft) Judged(field, format string, args ...any) bool {
	if !d.Replays {
		d.Fault(field, format, args...)
	}
	return d.Replays
}

// Need asks the author for a right, once for all the operations that need it, and
// says whether they have it.
func (d *Draft) Need(action, path, what string, args ...any) bool {
	if d.Replays { // it was judged
		return true
	}
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

// Note says something about the operation being applied, and since which revision it is so.
func (d *Draft) Note(code NoteCode, since int64) {
	d.Notes = append(d.Notes, Note{d.op, code, since})
}

// Subject is a thing whose facts an operation read.
type Subject struct {
	Kind fact.FactKind
	Row  uint32
}

// Reads says that the operation builds on the facts of a thing: see Moved.
func (d *Draft) Reads(kind fact.FactKind, row uint32) { d.reads = append(d.reads, Subject{kind, row}) }

// Moved are the things the draft's operations read that were changed after a
// revision: what somebody who looked at that revision did not see.
func (d *Draft) Moved(basedOn int64) []Subject {
	var out []Subject
	for _, r := range d.reads {
		if touchedAt(d.Base(), r) > basedOn && !slices.Contains(out, r) {
			out = append(out, r)
		}
	}
	return out
}

func touchedAt(s *access.Snapshot, r Subject) int64 {
	i := int(r.Row)
	switch r.Kind {
	case fact.FactUser:
		if u := s.UserTable.At(i); u != nil {
			return u.Touched
		}
	case fact.FactGroup:
		if g := s.GroupTable.At(i); g != nil {
			return g.Touched
		}
	case fact.FactRole:
		if x := s.RoleTable.At(i); x != nil {
			return x.Touched
		}
	case fact.FactApplication:
		if a := s.ApplicationTable.At(i); a != nil {
			return a.Touched
		}
	}
	if f := s.RecordFact(r.Kind, r.Row); f != nil {
		return f.Since()
	}
	return 0
}
