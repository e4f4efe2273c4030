package questions

import (
	"cmp"
	"context"
	"slices"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/query"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Expectations are all expectations with their state at an instant; those that
// have ended last, those that are broken first. With an application, those about
// it.
func Expectations(ctx context.Context, d *seeing.Service, c seeing.Caller, asOf time.Time, application string) (wire.ExpectationList, error) {
	v, err := d.AsOf(ctx, c, asOf)
	if err != nil {
		return wire.ExpectationList{}, err
	}
	out := wire.ExpectationList{Basis: v.Basis(), Expectations: []wire.Expectation{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read the expectations")
	}
	var app fact.ApplicationID
	if application != "" {
		id, ok := v.Uncut().FindApplication(application)
		if !ok || !v.ReadsApplication(id) {
			return out, v.Missing(fact.FactApplication, application)
		}
		app = id
	}
	all := slices.DeleteFunc(record.Expectations(v.Uncut()), func(f *fact.Expectation) bool { return app != 0 && f.Application != app })
	broken := brokenNow(d, v.Uncut(), all, v.At)
	for _, f := range all {
		x := expectation(v, f, broken[f.ID], out.Broken < mostDated)
		if x.Broken != nil {
			out.Broken++
		}
		out.Expectations = append(out.Expectations, x)
	}
	slices.SortStableFunc(out.Expectations, func(a, b wire.Expectation) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Ended), seeing.Order(b.Ended)), cmp.Compare(seeing.Order(a.Broken == nil), seeing.Order(b.Broken == nil)), cmp.Compare(a.Label, b.Label))
	})
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Expectations {
			x := &out.Expectations[i]
			g(&x.Given)
			if x.Broken != nil {
				g(&x.Broken.Change)
			}
		}
	})
	for _, x := range out.Expectations {
		if b := x.Broken; b != nil && b.Written && !b.Change.At.IsZero() {
			b.Since = &b.Change.At
		}
	}
	return out, nil
}

// mostDated is of how many broken expectations a list says since when they are:
// each takes a look at all that ever concerned somebody.
const mostDated = 50

func expectation(v *seeing.View, f *fact.Expectation, broken []query.Broken, dated bool) wire.Expectation {
	out := wire.Expectation{ID: f.ID.String(), Key: f.Key, Label: f.Label, Words: change.ExpectationWords(f, v.Uncut(), v), Description: f.Description, Except: f.Of.Except, Nobody: f.Of.Nobody,
		Application: v.ApplicationRef(f.Application, false), Action: f.Action, Pattern: f.Pattern, May: f.May, Blocking: f.Blocking, Ended: f.Ended, Given: &wire.Given{Revision: f.Opened}}
	if out.Label == "" {
		out.Label = out.Words
	}
	if f.Of.User != 0 {
		x := v.UserRef(f.Of.User)
		out.User = &x
	}
	if f.Of.Group != 0 {
		x := v.GroupRef(f.Of.Group, false)
		out.Group = &x
	}
	if f.Of.WouldBe.Given() {
		out.WouldBe = f.Of.WouldBe.Attributes()
	}
	if f.Owner != 0 {
		x := v.UserRef(f.Owner)
		out.Owner = &x
	}
	out.Broken = BrokenBy(v, f, broken, dated)
	return out
}

// BrokenBy says who of those the caller may read breaks an expectation; nil when none of
// them does at the instant.
func BrokenBy(v *seeing.View, f *fact.Expectation, broken []query.Broken, dated bool) *wire.Broken {
	out := &wire.Broken{By: []wire.Breaker{}, Outside: !v.Rights().ReadsAllUsers()}
	var first *query.Broken
	for _, b := range broken {
		if !b.When.Holds(v.At) {
			continue
		}
		if b.User != 0 && !v.ReadsUser(b.User) {
			continue
		}
		if first == nil {
			first = &b
		}
		if out.UserCount++; len(out.By) < seeing.MostNamed {
			out.By = append(out.By, wire.Breaker{User: breaker(v, f, b.User), Until: seeing.Instant(b.When[0].Until)})
		}
	}
	if first == nil {
		return nil
	}
	if dated && !f.Of.WouldBe.Given() {
		brokenSince(v, f, first.User, out)
	}
	return out
}

// breaker names who breaks an expectation.
func breaker(v *seeing.View, f *fact.Expectation, id fact.UserID) wire.Ref {
	if f.Of.WouldBe.Given() {
		return lists.NewUser
	}
	return userOrNobody(v, id)
}

func userOrNobody(v *seeing.View, id fact.UserID) wire.Ref {
	if id == 0 {
		return wire.Ref{Label: "Nobody signed in"}
	}
	return v.UserRef(id)
}

// brokenSince finds out since when somebody breaks an expectation, and by which
// revision, from all that ever concerned them. It is left out where that cannot
// be read just now.
func brokenSince(v *seeing.View, f *fact.Expectation, id fact.UserID, out *wire.Broken) {
	eras, err := v.Service.Ledger.RoleHistory(v.Ctx, id)
	if err != nil {
		return
	}
	begun := map[int64]calendar.Instant{}
	for _, e := range eras {
		begun[e.Revision] = e.From
	}
	for _, s := range query.BrokenSpans(eras, f, id) {
		if !s.Holds(v.At) {
			continue
		}
		if s.Revision < f.Opened {
			out.Written, out.Change = true, &wire.Given{Revision: f.Opened}
			continue
		}
		out.Since = seeing.Instant(s.From)
		if begun[s.Revision] == s.From {
			out.Change = &wire.Given{Revision: s.Revision}
		}
	}
}
