package people

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/record"
)

func init() {
	change.Register(&MergeUsers{}, "Merge the record of a user into another of the same person: what was given by hand and what they own moves there, and the first departs")
}

// MergeUsers merges two records of one person.
type MergeUsers struct {
	User change.UserRef `json:"user" doc:"the record that departs: user name or id"`
	Into change.UserRef `json:"into" doc:"the record that stays"`

	Things []change.ThingRef `json:"things,omitzero" set:"service"`
	Duties bool              `json:"duties,omitempty" set:"service"` // see HandOver
}

// Verb implements change.Operation.
func (*MergeUsers) Verb() string { return "merge_users" }

// ApplyTo implements change.Operation.
func (o MergeUsers) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	from, to := settleUpdated(d, "user", &o.User), settleUpdated(d, "into", &o.Into)
	if from == nil || to == nil {
		return
	}
	before := len(d.Faults)
	switch {
	case from.ID == to.ID:
		d.Fault("into", "is the same record")
	case from.UserKind != fact.Person || to.UserKind != fact.Person:
		d.Fault("user", "a machine account is no person, and is merged with nobody")
	case record.MergedInto(&d.Snapshot, from.ID) != 0:
		d.Fault("user", "%s was merged already", from.UserName)
	case to.Status == fact.Departed:
		d.Fault("into", "%s has departed: bring them back first", to.UserName)
	case from.Erased:
		d.Fault("user", "%s is erased", from.UserName)
	}
	if len(d.Faults) > before {
		return
	}
	may := true
	for _, a := range d.Given(fact.Assignee{User: from.ID}) {
		if a.Rule == 0 && d.MaySee(fact.FactRole, uint32(a.Role)) {
			may = d.NeedAssign(a.Role, a.Assignee) && d.NeedAssign(a.Role, fact.Assignee{User: to.ID}) && may
		}
	}
	for _, m := range d.MembershipsOf(fact.Member{User: from.ID}) {
		if m.ByHand() && d.MaySee(fact.FactGroup, uint32(m.Group)) {
			may = d.Need(access.ActUpdate, d.GroupPath(m.Group), "update the group %s", d.Group(m.Group).Key) && may
		}
	}
	if !may {
		return
	}
	over := HandOver{User: o.User, To: o.Into, Things: o.Things, Duties: o.Duties}.ApplyTo(d).(*HandOver)
	if o.Duties, o.Things = over.Duties, over.Things; o.Things == nil {
		o.Things = []change.ThingRef{} // none, and not yet looked up
	}
	d.Notes = slices.DeleteFunc(d.Notes, func(n change.Note) bool { return n.Code == change.AlreadySo && n.Operation == d.Number() })
	o.moveGiven(d, from.ID, to.ID)
	u := *d.User(from.ID)
	u.Status = fact.Departed
	succeed(d, &u)
	d.Put(&u)
	d.Put(&fact.Merged{User: from.ID, Into: to.ID})
	return settled
}

// moveGiven gives one record what another was given by hand, unless it has the same.
func (o *MergeUsers) moveGiven(d *change.Draft, from, to fact.UserID) {
	same := func(a, b *fact.Assignment) bool {
		return a.Role == b.Role && a.Window == b.Window && fact.BoundsOf(a).String() == fact.BoundsOf(b).String()
	}
	for _, a := range d.Given(fact.Assignee{User: from}) {
		if a.Rule != 0 {
			continue // of their place: the rules take it
		}
		has := slices.ContainsFunc(d.Given(fact.Assignee{User: to}), func(b *fact.Assignment) bool { return same(a, b) })
		d.End(a)
		if !has && d.MayHold("user", d.RoleKey(a.Role), d.Role(a.Role).HeldWithin, fact.Member{User: to}) {
			b := *a
			// What was approved for one record is given to the other on the author's own
			// authority, and judged as that.
			b.ID, b.Assignee, b.Origin, b.Opened = fact.AssignmentID(d.Allocate(fact.FactAssignment)), fact.Assignee{User: to}, fact.Manual, d.Revision
			if a.Origin == fact.ByShare { // it ends with its resource all the same
				b.Origin = fact.ByShare
				d.PromiseTo(&b)
			}
			d.Put(&b)
		}
	}
	for _, m := range d.MembershipsOf(fact.Member{User: from}) {
		if !m.ByHand() {
			continue
		}
		has := roles.MembershipOf(d, fact.Member{User: to}, m.Group) != nil
		d.End(m)
		if !has && d.MayHold("user", d.Group(m.Group).Key, d.Group(m.Group).HeldWithin, fact.Member{User: to}) {
			b := *m
			b.ID, b.Member, b.Opened = fact.MembershipID(d.Allocate(fact.FactMembership)), fact.Member{User: to}, d.Revision
			d.Put(&b)
		}
	}
}

// Sentence implements change.Operation.
func (o *MergeUsers) Sentence(s *access.Snapshot, n change.Names) string {
	from, _ := s.FindUser(string(o.User))
	to, _ := s.FindUser(string(o.Into))
	return "Merged the record " + n.UserName(from) + " into " + n.UserName(to)
}
