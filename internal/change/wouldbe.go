package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// CheckWouldBe files the faults of what is said of a person who is not there yet, within a field.
// Whether they could be there is no matter of replaying.
func (d *Draft) CheckWouldBe(field string, x fact.WouldBe) {
	if d.Replays {
		return
	}
	before, u := len(d.Faults), x.User()
	if d.CheckUnit("unit", u.Unit) {
		d.KnownUnit("unit", u.Unit)
	}
	d.CheckUser(&u)
	d.KnownEmployment(&u)
	for i := range d.Faults[before:] {
		d.Faults[before+i].Field = field + "/" + d.Faults[before+i].Field
	}
}

// BrokenBy are those who break an expectation at an instant or later, by user; of one about a
// would-be user see Newcomers.
func BrokenBy(s *access.Snapshot, f *fact.Expectation, from calendar.Instant) []query.Broken {
	if f.Of.WouldBe.Given() {
		return (&Newcomers{S: s, At: from}).Broken(f)
	}
	return query.BrokenBy(s, f, from)
}

// Newcomers judges would-be users by the facts of a snapshot, as if an instant were in the first
// day of each. It looks at each of them once. It is for one goroutine.
type Newcomers struct {
	S  *access.Snapshot
	At calendar.Instant

	known map[fact.WouldBe]*query.Judging // nil: nobody can be like that
}

// Broken is that an expectation about a would-be user does not hold: nobody who is there (user 0)
// breaks it, from the instant on. Whoever could not be there may do nothing.
func (n *Newcomers) Broken(f *fact.Expectation) []query.Broken {
	if f.Ended {
		return nil
	}
	judge, known := n.known[f.Of.WouldBe]
	if !known {
		if n.known == nil {
			n.known = map[fact.WouldBe]*query.Judging{}
		}
		if s, id, faults := WouldBe(n.S, f.Of.WouldBe.User()); len(faults) == 0 {
			judge = &query.Judging{S: s}
			judge.Of(id)
		}
		n.known[f.Of.WouldBe] = judge
	}
	if may := judge != nil && judge.MayAt(f, n.At); may == f.May {
		return nil
	}
	return []query.Broken{{Expectation: f, When: calendar.Intervals{{From: n.At}}}}
}

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
	rules := record.Defaults(&d.Snapshot)
	slices.SortFunc(rules, fact.InOrder)
	d.giveEach(u.ID, rules, func(*fact.Default) bool { return true })
	return d.Seal(s.Revision, s.At), u.ID, nil
}
