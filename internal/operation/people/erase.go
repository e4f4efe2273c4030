package people

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

func init() {
	change.Register(&EraseUser{}, "Erase the names and the address of a user who has departed")
}

// EraseUser erases the personal values of a user who has departed: their names
// and address. What they once held, decided and changed stays, about "a departed
// user"; so do their facts, which gave access and say why.
type EraseUser struct {
	User change.UserRef `json:"user" doc:"user name or id; must have departed"`
}

// Verb implements change.Operation.
func (*EraseUser) Verb() string { return "erase_user" }

// ApplyTo implements change.Operation.
func (o EraseUser) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok {
		return
	}
	u := *d.User(id)
	if !d.Need(access.ActUpdate, d.UserPath(id), "update the user %s", u.UserName) {
		return
	}
	if u.Status != fact.Departed {
		d.Fault("user", "%s has not departed: only who is gone is erased", u.UserName)
		return
	}
	if u.Erased {
		d.Note(change.AlreadySo, d.UserTable.At(int(id)).Touched)
		return
	}
	if record.IsHeld(&d.Snapshot, id, d.At()) && !d.Judged("user", "%s is under legal hold: end it first", u.UserName) {
		return
	}
	u.Personal, u.Erased = fact.Erased(id), true // the digest stays: it is of what can no longer be read
	d.Put(&u)
	return settled
}

// Sentence implements change.Operation.
func (o *EraseUser) Sentence(*access.Snapshot, change.Names) string {
	return "Erased the personal values of a departed user (" + string(o.User) + ")"
}
