package people

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

func init() {
	change.Register(&HandOver{}, "Hand over all that a user owns, and the people they manage, to somebody else")
}

// HandOver has somebody answer for all that another does: applications, roles,
// groups, expectations, the units they lead, the machine
// accounts they answer for, the shared accounts they keep, the sign-up rules and team rules they sponsor, the routes, requests and
// reviews in which they are named as one who decides, in whose place they decide, and the people who report to them. Whoever takes over from
// somebody above them reports to whom that one reported to. What the author may not
// know of stays.
type HandOver struct {
	User change.UserRef `json:"user" doc:"whose it is: user name or id"`
	To   change.UserRef `json:"to" doc:"who takes it over: user name or id"`

	Things []change.ThingRef `json:"things,omitempty" set:"service"`
	Duties bool              `json:"duties,omitempty" set:"service"` // what workflows name goes over too: before, it stayed
}

// Verb implements change.Operation.
func (*HandOver) Verb() string { return "hand_over" }

// ApplyTo implements change.Operation.
func (o HandOver) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	from, ok := d.SettleUser("user", &o.User)
	to, ok2 := d.SettleUser("to", &o.To)
	if !ok || !ok2 {
		return
	}
	if from == to {
		d.Fault("to", "is the same user")
		return
	}
	if u := d.User(to); u.Status == fact.Departed || u.Status == fact.Suspended {
		d.Fault("to", "%s is %s: nobody would answer", u.UserName, u.Status)
		return
	}
	given := o.Things // of a revision that is replayed
	if given == nil && d.Replays && o.Duties {
		given = []change.ThingRef{} // none: their author knew of nothing
	}
	o.Things = nil
	var take change.Taking = func(f fact.Fact, path, what string) bool {
		id := change.ThingRef(fact.IDText(f.Kind(), f.Row()))
		if given != nil && !slices.Contains(given, id) || given == nil && !d.MaySee(f.Kind(), f.Row()) {
			return false
		}
		if !d.Need(access.ActUpdate, path, "%s", "update "+what) {
			return false
		}
		o.Things = append(o.Things, id)
		return true
	}
	for a := range d.Applications() {
		if a.Owner == from && take(a, d.ApplicationPath(a.ID), a.Key) {
			b := *a
			b.Owner = to
			d.Put(&b)
		}
	}
	for r := range d.Roles() {
		if r.Owner == from && !r.Retired && take(r, d.RolePath(r.ID), d.RoleKey(r.ID)) {
			b := *r
			b.Owner = to
			d.Put(&b)
		}
	}
	for g := range d.Groups() {
		if g.Owner == from && take(g, d.GroupPath(g.ID), g.Key) {
			b := *g
			b.Owner = to
			d.Put(&b)
		}
	}
	for _, f := range record.Expectations(&d.Snapshot) {
		if f.Owner == from && !f.Ended && take(f, "settings", f.Key) {
			b := *f
			b.Owner = to
			d.Put(&b)
		}
	}
	for _, f := range record.Defaults(&d.Snapshot) {
		if f.Owner == from && !f.Ended && take(f, "settings", f.Key) {
			b := *f
			b.Owner = to
			d.Put(&b)
		}
	}
	for _, f := range d.Units() {
		if f.Head == from && !f.Ended && take(f, "settings", f.Path) {
			b := *f
			b.Head = to
			d.Put(&b)
		}
	}
	for _, f := range record.AccountableFor(&d.Snapshot, from) {
		if u := d.User(f.User); take(f, access.UserPath(u), u.UserName) {
			d.Put(f.Succeeded(from, to))
		}
	}
	for _, f := range record.KeptBy(&d.Snapshot, from) {
		if u := d.User(f.User); take(f, access.UserPath(u), u.UserName) {
			b := *f
			b.Custodian = to
			d.Put(&b)
		}
	}
	for _, f := range record.SponsoredBySignUp(&d.Snapshot, from) {
		if take(f, "settings", f.Domain) {
			b := *f
			b.Sponsor = to
			d.Put(&b)
		}
	}
	for _, f := range record.SponsoredByTeamRule(&d.Snapshot, from) {
		if take(f, "settings", f.Label) {
			b := *f
			b.Sponsor = to
			d.Put(&b)
		}
	}
	if o.Duties = o.Duties || !d.Replays; o.Duties {
		d.HandOverDuties(from, to, take)
	}
	succeedAsSubstitute(d, from, to, func(f *fact.Substitutes) bool {
		u := d.User(f.User)
		return take(f, access.UserPath(u), u.UserName)
	})
	if u := *d.User(to); above(&d.Snapshot, from, to) && take(&u, access.UserPath(&u), u.UserName) {
		u.Manager = d.User(from).Manager
		d.CheckUser(&u)
		d.Put(&u)
	}
	for i := range d.UserTable.Len() {
		r := d.UserTable.At(i)
		if r == nil || r.Fact == nil {
			continue
		}
		u := *r.Fact
		if u.Manager != from || u.Status == fact.Departed || u.ID == to || !take(&u, access.UserPath(&u), u.UserName) {
			continue
		}
		u.Manager = to
		d.CheckUser(&u)
		d.Put(&u)
	}
	if len(o.Things) == 0 {
		d.Note(change.AlreadySo, d.UserTable.At(int(from)).Touched)
	}
	return settled
}

// above says whether somebody is the manager of a user, or of their manager, and so
// on.
func above(s *access.Snapshot, who, user fact.UserID) bool {
	for m := s.User(user).Manager; m != 0; m = s.User(m).Manager {
		if m == who {
			return true
		}
	}
	return false
}

// Sentence implements change.Operation.
func (o *HandOver) Sentence(s *access.Snapshot, n change.Names) string {
	from, _ := s.FindUser(string(o.User))
	to, _ := s.FindUser(string(o.To))
	return "Handed over from " + n.UserName(from) + " to " + n.UserName(to) + ": " + fact.Count(len(o.Things), "thing") + " to answer for"
}
