package effect

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// NewlyBroken are those a draft breaks, where they were not broken before or for
// less time. An expectation it writes refuses nothing that breaks it already.
func NewlyBroken(d *change.Draft, p Preview, from calendar.Instant) []query.Broken {
	var standing, newcomers []*fact.Expectation
	for _, f := range record.Expectations(&d.Snapshot) {
		switch {
		case f.Ended || record.Expectation(d.Base(), f.ID) != f:
		case f.Of.WouldBe.Given():
			newcomers = append(newcomers, f)
		default:
			standing = append(standing, f)
		}
	}
	var out []query.Broken
	if len(newcomers) > 0 && altersFirstDays(d) {
		before, after := change.Newcomers{S: d.Base(), At: from}, change.Newcomers{S: &d.Snapshot, At: from}
		for _, f := range newcomers {
			if broken := after.Broken(f); len(broken) > 0 && len(before.Broken(f)) == 0 {
				out = append(out, broken...)
			}
		}
	}
	if len(standing) == 0 {
		return out
	}
	redescribed, moves := map[fact.ApplicationID]bool{}, false
	for _, c := range d.Changes() {
		for _, f := range []fact.Fact{c.Before, c.After} {
			switch f := f.(type) {
			case *fact.Resource:
				redescribed[f.Application] = true
			case *fact.Application:
				redescribed[f.ID] = true
			case *fact.User, *fact.Group, *fact.Membership, *fact.Organisation, *fact.EmploymentType, fact.OfUser:
				moves = true
			}
		}
	}
	rest := standing[:0]
	for _, f := range standing {
		if redescribed[f.Application] {
			out = append(out, brokenAnew(d, f, from)...)
		} else {
			rest = append(rest, f)
		}
	}
	effect := make(map[fact.UserID]*Effect, len(p.Touched))
	for i := range p.Effects {
		for _, id := range p.Effects[i].Users {
			effect[id] = &p.Effects[i]
		}
	}
	ahead := calendar.Window{From: from}
	about := query.SortOut(rest)
	before, after := query.Judging{S: d.Base()}, query.Judging{S: &d.Snapshot}
	for _, id := range p.Touched {
		e := effect[id]
		if e == nil && !moves {
			continue
		}
		before.Of(id)
		after.Of(id)
		isNew := id != 0 && d.Base().User(id) == nil
		about.Each(id, after.Groups, func(f *fact.Expectation) {
			counted := after.Counted(f.Of)
			if len(counted) == 0 || !e.bearsOn(f) && !isNew && slices.Equal(counted, before.Counted(f.Of)) {
				return
			}
			when := after.Broken(f).Within(ahead)
			if len(when) > 0 && !isNew {
				when = when.Minus(before.Broken(f))
			}
			if len(when) > 0 {
				out = append(out, query.Broken{Expectation: f, User: id, When: when})
			}
		})
	}
	slices.SortStableFunc(out, func(a, b query.Broken) int { return int(a.Expectation.ID) - int(b.Expectation.ID) })
	return out
}

// altersFirstDays says whether a draft changes anything that bears on users who are not there yet:
// more than what single users are, hold and are in.
func altersFirstDays(d *change.Draft) bool {
	for _, c := range d.Changes() {
		for _, f := range []fact.Fact{c.Before, c.After} {
			switch f := f.(type) {
			case *fact.Default, *fact.EmploymentType, *fact.Unit, *fact.Attribute:
				return true
			case nil, *fact.User, fact.RecordFact: // of the rest: requests, reviews, what is of single users …
			case *fact.Assignment:
				if f.Assignee.Group != 0 {
					return true
				}
			case *fact.Membership:
				if f.Member.Group != 0 {
					return true
				}
			default:
				return true
			}
		}
	}
	return false
}

// brokenAnew compares all who break an expectation before and after.
func brokenAnew(d *change.Draft, f *fact.Expectation, from calendar.Instant) []query.Broken {
	before := map[fact.UserID]calendar.Intervals{}
	for _, b := range query.BrokenBy(d.Base(), f, from) {
		before[b.User] = b.When
	}
	var out []query.Broken
	for _, b := range query.BrokenBy(&d.Snapshot, f, from) {
		if b.When = b.When.Minus(before[b.User]); len(b.When) > 0 {
			out = append(out, b)
		}
	}
	return out
}

// bearsOn says whether what is gained or lost could break an expectation.
func (e *Effect) bearsOn(f *fact.Expectation) bool {
	if e == nil {
		return false
	}
	some := e.Gained
	if f.May {
		some = e.Lost
	}
	return slices.ContainsFunc(some, func(x query.Entitlement) bool {
		return x.Application == f.Application && x.Action == f.Action && patterns.Overlap(x.Target, f.Pattern)
	})
}

// WroteExpectations are those a draft writes or alters.
func WroteExpectations(d *change.Draft) []*fact.Expectation {
	var out []*fact.Expectation
	for _, f := range record.Expectations(&d.Snapshot) {
		if !f.Ended && record.Expectation(d.Base(), f.ID) != f {
			out = append(out, f)
		}
	}
	return out
}
