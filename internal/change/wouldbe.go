package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/query"
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
// would-be user that is nobody who is there (user 0), where it does not hold on their first day.
func BrokenBy(s *access.Snapshot, f *fact.Expectation, from calendar.Instant) []query.Broken {
	switch {
	case !f.Of.WouldBe.Given():
		return query.BrokenBy(s, f, from)
	case f.Ended || !breaksOnFirstDay(s, f, from):
		return nil
	}
	return []query.Broken{{Expectation: f, When: calendar.Intervals{{From: from}}}}
}

// breaksOnFirstDay says whether a would-be user that an expectation is about would break it, if
// an instant were in their first day. Whoever could not be there may do nothing.
func breaksOnFirstDay(s *access.Snapshot, f *fact.Expectation, at calendar.Instant) bool {
	next, id, faults := WouldBe(s, f.Of.WouldBe.User())
	if len(faults) > 0 {
		return f.May
	}
	judge := query.Judging{S: next}
	judge.Of(id)
	return judge.MayAt(f, at) != f.May
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
	rules := d.Defaults()
	slices.SortFunc(rules, fact.InOrder)
	d.giveEach(u.ID, rules, func(*fact.Default) bool { return true })
	return d.Seal(s.Revision, s.At), u.ID, nil
}
