package rules

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&SetSignIn{}, "Set who may sign in")
}

// SetSignIn says who may sign in: the persons in a group alone, or everybody who
// has a password or a token. Service accounts are let in by their tokens as before.
type SetSignIn struct {
	Group change.GroupRef `json:"group,omitempty" doc:"who alone may sign in: key or id; blank for everybody who has a password or a token"`
}

// Verb implements change.Operation.
func (*SetSignIn) Verb() string { return "set_sign_in" }

// ApplyTo implements change.Operation.
func (o SetSignIn) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say who may sign in") {
		return
	}
	f := d.Organisation()
	f.SignIn = 0
	if o.Group != "" {
		id, ok := d.SettleGroup("group", &o.Group)
		if !ok {
			return
		}
		if id == fact.PublicGroup || id == fact.AllUsersGroup {
			d.Fault("group", "%s bounds nobody: leave it blank", d.Group(id).Key)
			return
		}
		if d.Author != 0 && !d.IsMember(d.Author, id, d.At()) {
			d.Fault("group", "you are not in %s yourself: you could not sign in any more", d.Group(id).Label)
			return
		}
		f.SignIn = id
	}
	if f == d.Organisation() {
		d.Note(change.AlreadySo, 0)
		return
	}
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetSignIn) Sentence(s *access.Snapshot, _ change.Names) string {
	if id, ok := s.FindGroup(string(o.Group)); ok {
		return "Only the group " + s.Group(id).Label + " may sign in"
	}
	return "Everybody with a password or a token may sign in"
}
