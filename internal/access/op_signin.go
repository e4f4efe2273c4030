package access

import "ableroster/internal/calendar"

func init() {
	Register(&SetSignIn{}, "Set who may sign in")
}

// SetSignIn says who may sign in: the persons in a group alone, or everybody who
// was given the means. Service accounts are let in by their tokens as before.
type SetSignIn struct {
	Group GroupRef `json:"group,omitempty" doc:"who alone may sign in: key or id; blank for everybody who was given the means"`
}

// Verb implements Operation.
func (*SetSignIn) Verb() string { return "set_sign_in" }

// ApplyTo implements Operation.
func (o SetSignIn) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "say who may sign in") {
		return
	}
	f := d.organisation
	f.SignIn = 0
	if o.Group != "" {
		id, ok := d.group("group", &o.Group)
		if !ok {
			return
		}
		if id == PublicGroup || id == AllUsersGroup {
			d.fault("group", "%s bounds nobody: leave it blank", d.Group(id).Key)
			return
		}
		if d.Author != 0 && !d.isMember(d.Author, id, d.at) {
			d.fault("group", "you are not in %s yourself: you could not sign in any more", d.Group(id).Label)
			return
		}
		f.SignIn = id
	}
	if f == d.organisation {
		d.note(AlreadySo, 0)
		return
	}
	d.put(&f)
	return settled
}

// Sentence implements Operation.
func (o *SetSignIn) Sentence(s *Snapshot, _ Names) string {
	if id, ok := s.FindGroup(string(o.Group)); ok {
		return "Only the group " + s.Group(id).Label + " may sign in"
	}
	return "Everybody who was given the means may sign in"
}

// MaySignIn says whether a user is let in at an instant, once they have shown who
// they are.
func (s *Snapshot) MaySignIn(id UserID, at calendar.Instant) bool {
	if !s.Effective(id, at) {
		return false
	}
	only := s.organisation.SignIn
	return only == 0 || s.User(id).UserKind == Service || s.isMember(id, only, at)
}
