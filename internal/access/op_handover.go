package access

import "slices"

func init() {
	Register(&HandOver{}, "Hand over all that a user owns, and the people they manage, to somebody else")
}

// HandOver has somebody answer for all that another does: applications, roles,
// groups, expectations, and the people who report to them. Whoever takes over from
// somebody above them reports to whom that one reported to. What the author may not
// know of stays.
type HandOver struct {
	User UserRef `json:"user" doc:"whose it is: user name or id"`
	To   UserRef `json:"to" doc:"who takes it over: user name or id"`

	Things []ThingRef `json:"things,omitempty" set:"service"`
}

// Verb implements Operation.
func (*HandOver) Verb() string { return "hand_over" }

// ApplyTo implements Operation.
func (o HandOver) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	from, ok := d.user("user", &o.User)
	to, ok2 := d.user("to", &o.To)
	if !ok || !ok2 {
		return
	}
	if from == to {
		d.fault("to", "is the same user")
		return
	}
	if u := d.User(to); u.Status == Departed || u.Status == Suspended {
		d.fault("to", "%s is %s: nobody would answer", u.UserName, u.Status)
		return
	}
	given := o.Things // of a revision that is replayed
	o.Things = nil
	take := func(f Fact, path, what string) bool {
		id := ThingRef(IDText(f.Kind(), f.Row()))
		if given != nil && !slices.Contains(given, id) || given == nil && !d.visible(f.Kind(), f.Row()) {
			return false
		}
		if !d.need(ActUpdate, path, "%s", "update "+what) {
			return false
		}
		o.Things = append(o.Things, id)
		return true
	}
	for a := range d.Applications() {
		if a.Owner == from && take(a, d.ApplicationPath(a.ID), a.Key) {
			b := *a
			b.Owner = to
			d.put(&b)
		}
	}
	for r := range d.Roles() {
		if r.Owner == from && !r.Retired && take(r, d.RolePath(r.ID), d.RoleKey(r.ID)) {
			b := *r
			b.Owner = to
			d.put(&b)
		}
	}
	for g := range d.Groups() {
		if g.Owner == from && take(g, d.GroupPath(g.ID), g.Key) {
			b := *g
			b.Owner = to
			d.put(&b)
		}
	}
	for _, f := range d.Expectations() {
		if f.Owner == from && !f.Ended && take(f, "settings", f.Key) {
			b := *f
			b.Owner = to
			d.PutRecord(&b)
		}
	}
	if u := *d.User(to); d.above(from, to) && take(&u, userPath(&u), u.UserName) {
		u.Manager = d.User(from).Manager
		d.checkUser(&u)
		d.put(&u)
	}
	for i := range d.users.Len() {
		r := d.users.At(i)
		if r == nil || r.fact == nil {
			continue
		}
		u := *r.fact
		if u.Manager != from || u.Status == Departed || u.ID == to || !take(&u, userPath(&u), u.UserName) {
			continue
		}
		u.Manager = to
		d.checkUser(&u)
		d.put(&u)
	}
	if len(o.Things) == 0 {
		d.note(AlreadySo, d.users.At(int(from)).touched)
	}
	return settled
}

// above says whether somebody is the manager of a user, or of their manager, and so
// on.
func (s *Snapshot) above(who, user UserID) bool {
	for m := s.User(user).Manager; m != 0; m = s.User(m).Manager {
		if m == who {
			return true
		}
	}
	return false
}

// Sentence implements Operation.
func (o *HandOver) Sentence(s *Snapshot, n Names) string {
	from, _ := s.FindUser(string(o.User))
	to, _ := s.FindUser(string(o.To))
	return "Handed over from " + n.UserName(from) + " to " + n.UserName(to) + ": " + Count(len(o.Things), "thing") + " to answer for"
}
