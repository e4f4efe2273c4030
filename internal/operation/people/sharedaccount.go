package people

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetSharedAccount{}, "Make a machine account one that people use in turn, or edit how: all that is said of it")
	change.Register(&EndSharedAccount{}, "Let nobody check a shared account out any more")
	change.Register(&CheckOutAccount{}, "Check a shared account out for a time; the members of its group and its custodian may")
	change.Register(&ReturnAccount{}, "Return a shared account that was checked out; who has it and its custodian may")
	change.Register(&ConfirmRotation{}, "Say that the secret of a shared account was changed since it was returned; its custodian may")
	change.Register(&RecordAccountTest{}, "Say that a shared account was tested today; its custodian may")
}

// SetSharedAccount says how people use a machine account in turn: all of it, from now on.
type SetSharedAccount struct {
	User      change.UserRef  `json:"user" doc:"the machine account: user name or id"`
	Custodian change.UserRef  `json:"custodian" doc:"who gives its secret out: user name or id"`
	Group     change.GroupRef `json:"group" doc:"whose members may check it out: key or id"`
	MaxHours  int             `json:"max_hours,omitempty" doc:"for how many hours at most; 8 by default"`
	Emergency bool            `json:"emergency,omitempty" doc:"it is for emergencies alone, and is tested now and then"`
}

// Verb implements change.Operation.
func (*SetSharedAccount) Verb() string { return "set_shared_account" }

// ApplyTo implements change.Operation.
func (o SetSharedAccount) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok || !d.Need(access.ActUpdate, d.UserPath(id), "update %s", d.User(id).UserName) {
		return
	}
	before := len(d.Faults)
	switch u := d.User(id); {
	case u.UserKind != fact.Service:
		d.Fault("user", "%s is a person: what people use in turn is a machine account", u.UserName)
	case record.MachineAccount(&d.Snapshot, id) == nil:
		d.Judged("user", "say first what %s is for, and who is accountable for it", u.UserName)
	}
	f := &fact.SharedAccount{User: id, MaxHours: o.MaxHours, Emergency: o.Emergency}
	if f.Custodian, ok = d.SettleUser("custodian", &o.Custodian); ok {
		if p := d.User(f.Custodian); p.UserKind != fact.Person || p.Status == fact.Departed {
			d.Judged("custodian", "%s is no person who is there", p.UserName)
		}
	}
	if f.Group, ok = d.SettleGroup("group", &o.Group); ok && (f.Group == fact.PublicGroup || f.Group == fact.AllUsersGroup) {
		d.Judged("group", "%s bounds nobody: choose a group of few", d.Group(f.Group).Key)
	}
	if f.MaxHours == 0 {
		f.MaxHours = 8
	}
	if f.MaxHours < 0 || f.MaxHours > mostHours {
		d.Fault("max_hours", "is a number of hours from 1 to %d", mostHours)
	}
	if o.MaxHours = f.MaxHours; len(d.Faults) > before {
		return
	}
	if old := record.SharedAccount(&d.Snapshot, id); old != nil {
		d.Reads(fact.FactSharedAccount, uint32(id))
		f.Tested = old.Tested
		if f.Lifetime = old.Lifetime; *f == *old {
			d.Note(change.AlreadySo, old.Since())
			return
		}
		f.Lifetime = fact.Lifetime{}
	}
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetSharedAccount) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	by, _ := s.FindUser(string(o.Custodian))
	kind := "a shared account"
	if o.Emergency {
		kind = "an emergency account"
	}
	return "Made " + n.UserName(id) + " " + kind + ", of which " + n.UserName(by) + " is the custodian, checked out for " + fact.Count(o.MaxHours, "hour") + " at most"
}

// shared settles the shared account that an operation names. Who takes part in it, as may says, needs
// no other right, and may know of it.
func shared(d *change.Draft, ref *change.UserRef, what string, may func(*fact.SharedAccount) bool) (*fact.SharedAccount, bool) {
	if id, ok := d.FindUser(string(*ref)); ok && d.Author != 0 {
		if f := record.SharedAccount(&d.Snapshot, id); f != nil && !f.Ended && may(f) {
			*ref = change.UserRef(id.String())
			d.Reads(fact.FactSharedAccount, uint32(id))
			return f, true
		}
	}
	id, ok := d.SettleUser("user", ref)
	if !ok || !d.Need(access.ActUpdate, d.UserPath(id), "%s", what+" "+d.User(id).UserName) {
		return nil, false
	}
	f := record.SharedAccount(&d.Snapshot, id)
	if f == nil || f.Ended {
		d.Fault("user", "%s is no shared account", d.User(id).UserName)
		return nil, false
	}
	d.Reads(fact.FactSharedAccount, uint32(id))
	return f, true
}

// EndSharedAccount ends that a machine account is shared.
type EndSharedAccount struct {
	User change.UserRef `json:"user" doc:"user name or id"`
}

// Verb implements change.Operation.
func (*EndSharedAccount) Verb() string { return "end_shared_account" }

// ApplyTo implements change.Operation.
func (o EndSharedAccount) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	f, ok := shared(d, &o.User, "update", func(*fact.SharedAccount) bool { return false })
	if !ok {
		return
	}
	if record.CheckOut(&d.Snapshot, f.User).Out() && !d.Judged("user", "%s is checked out: it is returned first", d.User(f.User).UserName) {
		return
	}
	settle.Alter(d, f, func(f *fact.SharedAccount) { f.Ended = true })
	return settled
}

// Sentence implements change.Operation.
func (o *EndSharedAccount) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Nobody may check " + n.UserName(id) + " out any more"
}

// CheckOutAccount has its author use a shared account for a time.
type CheckOutAccount struct {
	User  change.UserRef   `json:"user" doc:"user name or id"`
	Until calendar.Instant `json:"until,omitzero" doc:"until when it is returned; as long as it may be by default"`

	From calendar.Instant `json:"from,omitzero" set:"service"`
}

// Verb implements change.Operation.
func (*CheckOutAccount) Verb() string { return "check_out_account" }

// ApplyTo implements change.Operation.
func (o CheckOutAccount) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	uses := func(f *fact.SharedAccount) bool {
		return d.Author == f.Custodian || d.Author != 0 && d.IsMember(d.Author, f.Group, d.At())
	}
	f, ok := shared(d, &o.User, "update", uses)
	if !ok {
		return
	}
	if !d.Replays {
		o.From = d.At()
	}
	name, before, last := d.User(f.User).UserName, len(d.Faults), record.CheckOut(&d.Snapshot, f.User)
	if d.Author != 0 && !uses(f) {
		d.Judged("user", "%s is checked out by the members of %s, and by its custodian", name, d.Group(f.Group).Label)
	}
	if last.Out() {
		d.Judged("user", "%s is checked out already: it is returned first", name)
	}
	if last.Due() {
		d.Judged("user", "the secret of %s was not changed since it was last used: its custodian does that first", name)
	}
	latest := o.From + calendar.Days(1)/24*calendar.Instant(f.MaxHours)
	switch {
	case o.Until == 0:
		o.Until = latest
	case o.Until <= o.From:
		d.Judged("until", "is not later than now")
	case o.Until > latest:
		d.Judged("until", "is too late: it is checked out for %s at most", fact.Count(f.MaxHours, "hour"))
	}
	if len(d.Faults) > before {
		return
	}
	d.Put(&fact.CheckOut{User: f.User, By: d.Author, Window: calendar.Window{From: o.From, Until: o.Until}})
	return settled
}

// Sentence implements change.Operation.
func (o *CheckOutAccount) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Checked " + n.UserName(id) + " out" + change.WindowWords(s, calendar.Window{Until: o.Until})
}

// ReturnAccount returns a shared account.
type ReturnAccount struct {
	User change.UserRef `json:"user" doc:"user name or id"`

	At calendar.Instant `json:"at,omitzero" set:"service"`
}

// Verb implements change.Operation.
func (*ReturnAccount) Verb() string { return "return_account" }

// ApplyTo implements change.Operation.
func (o ReturnAccount) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	f, ok := shared(d, &o.User, "update", func(f *fact.SharedAccount) bool {
		last := record.CheckOut(&d.Snapshot, f.User)
		return d.Author == f.Custodian || last.Out() && last.By == d.Author
	})
	if !ok {
		return
	}
	last := record.CheckOut(&d.Snapshot, f.User)
	if !last.Out() {
		d.Fault("user", "%s is not checked out", d.User(f.User).UserName)
		return
	}
	if !d.Replays {
		o.At = d.At()
	}
	settle.Alter(d, last, func(x *fact.CheckOut) { x.Returned = o.At })
	return settled
}

// Sentence implements change.Operation.
func (o *ReturnAccount) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Returned " + n.UserName(id) + "; its secret is to be changed now"
}

// ConfirmRotation says that the secret of a shared account was changed.
type ConfirmRotation struct {
	User change.UserRef `json:"user" doc:"user name or id"`
}

// Verb implements change.Operation.
func (*ConfirmRotation) Verb() string { return "confirm_rotation" }

// byCustodian says whether the author of a draft is the custodian of an account.
func byCustodian(d *change.Draft) func(*fact.SharedAccount) bool {
	return func(f *fact.SharedAccount) bool { return d.Author == f.Custodian }
}

// ApplyTo implements change.Operation.
func (o ConfirmRotation) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	f, ok := shared(d, &o.User, "update", byCustodian(d))
	if !ok {
		return
	}
	last := record.CheckOut(&d.Snapshot, f.User)
	if !last.Due() {
		d.Fault("user", "%s was not returned since its secret was last changed", d.User(f.User).UserName)
		return
	}
	settle.Alter(d, last, func(x *fact.CheckOut) { x.Rotated = true })
	return settled
}

// Sentence implements change.Operation.
func (o *ConfirmRotation) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "The secret of " + n.UserName(id) + " was changed after its use"
}

// RecordAccountTest says that a shared account was tested.
type RecordAccountTest struct {
	User change.UserRef `json:"user" doc:"user name or id"`

	On calendar.Date `json:"on,omitzero" set:"service"`
}

// Verb implements change.Operation.
func (*RecordAccountTest) Verb() string { return "record_account_test" }

// ApplyTo implements change.Operation.
func (o RecordAccountTest) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	f, ok := shared(d, &o.User, "update", byCustodian(d))
	if !ok {
		return
	}
	if !d.Replays {
		o.On = d.Today()
	}
	settle.Alter(d, f, func(f *fact.SharedAccount) { f.Tested = o.On })
	return settled
}

// Sentence implements change.Operation.
func (o *RecordAccountTest) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Tested " + n.UserName(id)
}
