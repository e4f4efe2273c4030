package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// WouldBe is the snapshot with one more user of given facts, and their id: for
// asking what a newcomer would have on the first day. Nothing of it is kept.
// The faults are those of the facts.
func WouldBe(s *access.Snapshot, u fact.User) (*access.Snapshot, fact.UserID, []Fault) {
	d := NewDraft(s)
	u.UserName, u.Status = "would-be", fact.Active
	if u.UserKind == "" {
		u.UserKind = fact.Person
	}
	d.CheckUnit("unit", u.Unit)
	d.CheckUser(&u)
	d.KnownEmployment(&u)
	d.Fill(&u)
	if len(d.Faults) > 0 {
		return nil, 0, d.Faults
	}
	u.ID = fact.UserID(d.Allocate(fact.FactUser))
	d.PutNameless(&u)
	rules := d.Defaults()
	slices.SortFunc(rules, fact.InOrder)
	d.giveEach(u.ID, rules, func(*fact.Default) bool { return true })
	return d.Seal(s.Revision, s.At), u.ID, nil
}
