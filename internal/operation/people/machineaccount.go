package people

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetMachineAccount{}, "Say what a machine account is for, and which two people are accountable for it")
}

// SetMachineAccount says what a machine account is for: all of it, from now on.
type SetMachineAccount struct {
	User         change.UserRef        `json:"user" doc:"the machine account: user name or id"`
	Purpose      string                `json:"purpose" doc:"what it does, in plain words"`
	Accountable  []change.UserRef      `json:"accountable" doc:"the two people who are accountable for it"`
	Application  change.ApplicationRef `json:"application,omitempty" doc:"that it works for"`
	SecretAt     string                `json:"secret_at,omitempty" doc:"where its secret lies, in plain words; never the secret"`
	ActsForUsers bool                  `json:"acts_for_users,omitempty" doc:"it may act for whoever is signed in to its application, within what both may"`
}

// Verb implements change.Operation.
func (*SetMachineAccount) Verb() string { return "set_machine_account" }

// ApplyTo implements change.Operation.
func (o SetMachineAccount) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok {
		return
	}
	u := d.User(id)
	if !d.Need(access.ActUpdate, access.UserPath(u), "update %s", u.UserName) {
		return
	}
	before := len(d.Faults)
	if u.UserKind != fact.Service {
		d.Fault("user", "%s is a person, and is accountable for themselves", u.UserName)
	}
	if strings.TrimSpace(o.Purpose) == "" {
		d.Fault("purpose", "is missing")
	} else if m := fact.CheckWords(o.Purpose, 2000); m != "" {
		d.Fault("purpose", "%s", m)
	}
	if m := fact.CheckWords(o.SecretAt, 500); m != "" {
		d.Fault("secret_at", "%s", m)
	}
	f := &fact.MachineAccount{User: id, Purpose: o.Purpose, SecretAt: o.SecretAt, Accountable: settle.Each("accountable", &o.Accountable, d.SettleUser)}
	for _, by := range f.Accountable {
		if p := d.User(by); p.UserKind != fact.Person || p.Status == fact.Departed {
			d.Judged("accountable", "%s is no person who is there", p.UserName)
		}
	}
	if n := len(f.Accountable); n != fact.Accountable && len(d.Faults) == before {
		d.Judged("accountable", "names %s, and is two: one may be away, or leave", fact.Count(n, "user"))
	}
	if o.Application != "" {
		f.Application, _ = d.SettleApplication("application", &o.Application)
	}
	if o.ActsForUsers && o.Application == "" {
		d.Fault("acts_for_users", "is of an account that works for an application: name it")
	}
	if f.ActsFor = o.ActsForUsers; len(d.Faults) > before {
		return
	}
	if old := record.MachineAccount(&d.Snapshot, id); f.ActsFor && (old == nil || !old.ActsFor || old.Application != f.Application) && !d.Need(access.ActUpdate, "settings", "let %s act for users: it takes the right to change settings", u.UserName) {
		return
	}
	if old := record.MachineAccount(&d.Snapshot, id); old != nil {
		d.Reads(fact.FactMachineAccount, uint32(id))
		f.Attributes, f.Overridable, f.Filter = old.Attributes, old.Overridable, old.Filter
		if f.Lifetime = old.Lifetime; same(f, old) {
			d.Note(change.AlreadySo, old.Since())
			return
		}
		f.Lifetime = fact.Lifetime{}
	}
	d.Put(f)
	return settled
}

// same says whether the same is said of a machine account.
func same(a, b *fact.MachineAccount) bool {
	return a.Purpose == b.Purpose && a.SecretAt == b.SecretAt && a.Application == b.Application && a.ActsFor == b.ActsFor && slices.Equal(a.Accountable, b.Accountable)
}

// Sentence implements change.Operation.
func (o *SetMachineAccount) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	var by []string
	for _, ref := range o.Accountable {
		a, _ := s.FindUser(string(ref))
		by = append(by, n.UserName(a))
	}
	text := fact.ActionWords(by) + " are accountable for the machine account " + n.UserName(id)
	if o.ActsForUsers {
		text += ", which may act for users"
	}
	return text
}
