package change

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// The workflows have rooms of their own: their operations do to a draft what is
// below, and nothing else.

// finishing are what the workflows do to each draft: see OnFinish.
var finishing []func(*Draft)

// OnFinish has a workflow do what follows from the whole of a draft. It is called while a program
// starts; what it is given may be called by several goroutines at once, of several drafts.
func OnFinish(f func(*Draft)) { finishing = append(finishing, f) }

// Taking says whether somebody takes over a fact, and asks the author for the right to update
// what is at a path.
type Taking func(f fact.Fact, path, what string) bool

// handing are what the workflows hand over: see OnHandOver.
var handing []func(d *Draft, from, to fact.UserID, take Taking)

// OnHandOver has a workflow hand over what a user decides by name. It is called while a program
// starts; what it is given may be called by several goroutines at once, of several drafts.
func OnHandOver(f func(d *Draft, from, to fact.UserID, take Taking)) { handing = append(handing, f) }

// HandOverDuties has the workflows hand over what one user decides by name to another.
func (d *Draft) HandOverDuties(from, to fact.UserID, take Taking) {
	for _, f := range handing {
		f(d, from, to, take)
	}
}

// Succeeded are some users with one in the place of another, each once.
func Succeeded(users []fact.UserID, from, to fact.UserID) []fact.UserID {
	var out []fact.UserID
	for _, id := range users {
		if id == from {
			id = to
		}
		if !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	return out
}

// Number is which operation of the change is being applied, counted from 0.
func (d *Draft) Number() int { return d.op }

// At is the instant at which the change is judged.
func (d *Draft) At() calendar.Instant { return d.at }

// CheckNew files the faults of the key and the texts of a new thing; taken says
// whether the key is.
func (d *Draft) CheckNew(key string, taken bool, label *string, description string) bool {
	before := len(d.Faults)
	if m := d.CheckKey(key); m != "" {
		d.Fault("key", "%s", m)
	} else if taken {
		d.Fault("key", "“%s” is taken: keys are never reused", key)
	}
	d.CheckTexts(label, key, description)
	return len(d.Faults) == before
}

// CheckText files the fault of a text of at most so many bytes.
func (d *Draft) CheckText(field, text string, limit int) bool {
	m := fact.CheckLabel(text, limit)
	if m != "" {
		d.Fault(field, "%s", m)
	}
	return m == ""
}

// ReadsFact says that the operation builds on a record fact: see Moved.
func (d *Draft) ReadsFact(f fact.RecordFact) { d.Reads(f.Kind(), f.Row()) }

// Promise has the author judged as if they gave a role to everybody who may hold
// it: what a workflow gives later, it gives on that authority.
func (d *Draft) Promise(role fact.RoleID) {
	d.promised = append(d.promised, RoleGain{Role: role, Within: roleReach(&d.Snapshot, role)})
}

// Offering is a record fact by which a role is given to whoever asks and is
// approved: whoever makes the role give more is judged as if they gave that to
// everybody.
type Offering interface {
	fact.RecordFact
	// Offers is the role, 0 when it is not offered any more.
	Offers() fact.RoleID
}

// Asking is a record fact by which somebody waits for a role: what it gives when they
// asked is what they are given, or more on the authority of whoever alters it.
type Asking interface {
	fact.RecordFact
	// Asks is what is asked for, ok is false once it is decided.
	Asks() (g RoleGain, ok bool)
}

// offerGains are what roles that are offered, or asked for, come to give beyond what
// they gave.
func (d *Draft) offerGains(widened map[fact.RoleID]bool) []RoleGain {
	var out []RoleGain
	for p := range d.RecordTables {
	rows:
		for i := range d.RecordTables[p].Len() {
			var g RoleGain
			switch f := d.RecordTables[p].Get(i).(type) {
			case nil:
				continue
			case Offering:
				if g.Role = f.Offers(); g.Role != 0 {
					g.Within = roleReach(&d.Snapshot, g.Role)
				}
			case Asking:
				g, _ = f.Asks()
			default:
				break rows // a table holds one kind
			}
			if g.Role != 0 {
				out = append(out, d.more(g, widened)...)
			}
		}
	}
	return out
}

// more are what a role comes to give beyond what it gave, as gains like another.
func (d *Draft) more(g RoleGain, widened map[fact.RoleID]bool) []RoleGain {
	var before []fact.RoleID
	if r := d.Base().RoleTable.At(int(g.Role)); r != nil {
		before = r.Closure
	}
	var out []RoleGain
	for _, x := range d.RoleTable.At(int(g.Role)).Closure {
		if widened[x] || !slices.Contains(before, x) {
			g.Role = x
			out = append(out, g)
		}
	}
	return out
}

// GrantByRequest opens an assignment that was asked for and approved, on the
// authority of the route.
func (d *Draft) GrantByRequest(user fact.UserID, role fact.RoleID, w calendar.Window, scopes []fact.Scope) fact.AssignmentID {
	f := &fact.Assignment{ID: fact.AssignmentID(d.Allocate(fact.FactAssignment)), Assignee: fact.Assignee{User: user}, Role: role, Window: w, Scopes: scopes, Origin: fact.ByRequest, Opened: d.Revision}
	d.Put(f)
	return f.ID
}

// TakeBack ends an assignment, for which the author needs the right to assign.
func (d *Draft) TakeBack(f *fact.Assignment) {
	if d.NeedAssign(f.Role, f.Assignee) {
		d.End(f)
	}
}
