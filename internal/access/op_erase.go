package access

func init() {
	Register(&EraseUser{}, "Erase the names and the address of a user who has departed")
}

// EraseUser erases the personal values of a user who has departed: their names
// and address. What they once held, decided and changed stays, about "a departed
// user"; so do their facts, which gave access and say why.
type EraseUser struct {
	User UserRef `json:"user" doc:"user name or id; must have departed"`
}

// Verb implements Operation.
func (*EraseUser) Verb() string { return "erase_user" }

// ApplyTo implements Operation.
func (o EraseUser) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.user("user", &o.User)
	if !ok {
		return
	}
	u := *d.User(id)
	if !d.need(ActUpdate, d.UserPath(id), "update the user %s", u.UserName) {
		return
	}
	if u.Status != Departed {
		d.fault("user", "%s has not departed: only who is gone is erased", u.UserName)
		return
	}
	if u.Erased {
		d.note(AlreadySo, d.users.At(int(id)).touched)
		return
	}
	u.Personal, u.Erased = Erased(id), true // the digest stays: it is of what can no longer be read
	d.put(&u)
	return settled
}

// Erased is how many users were erased.
func (s *Snapshot) Erased() int { return s.erased }

// Erased stands for personal values that were erased.
func Erased(id UserID) Personal {
	return Personal{UserName: "erased-" + id.String(), DisplayName: "a departed user"}
}

// Sentence implements Operation.
func (o *EraseUser) Sentence(*Snapshot, Names) string {
	return "Erased the personal values of a departed user (" + string(o.User) + ")"
}
