package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
	"ableroster/internal/query"
	"ableroster/wire"
)

// Expectations are all expectations with their state at an instant; those that
// have ended last, those that are broken first. With an application, those about
// it.
func (d *Service) Expectations(ctx context.Context, c Caller, asOf time.Time, application string) (wire.ExpectationList, error) {
	v, err := d.AsOf(ctx, c, asOf)
	if err != nil {
		return wire.ExpectationList{}, err
	}
	out := wire.ExpectationList{Basis: v.basis(), Expectations: []wire.Expectation{}}
	if !v.readsSettings() {
		return out, Refused("you may not read the expectations")
	}
	var app fact.ApplicationID
	if application != "" {
		id, ok := v.FindApplication(application)
		if !ok || !v.readsApplication(id) {
			return out, v.missing(fact.FactApplication, application)
		}
		app = id
	}
	all := slices.DeleteFunc(v.Snapshot.Expectations(), func(f *fact.Expectation) bool { return app != 0 && f.Application != app })
	broken := d.brokenNow(v.Snapshot, all, v.at)
	for _, f := range all {
		x := v.expectation(f, broken[f.ID], out.Broken < mostDated)
		if x.Broken != nil {
			out.Broken++
		}
		out.Expectations = append(out.Expectations, x)
	}
	slices.SortStableFunc(out.Expectations, func(a, b wire.Expectation) int {
		return cmp.Or(cmp.Compare(order(a.Ended), order(b.Ended)), cmp.Compare(order(a.Broken == nil), order(b.Broken == nil)), cmp.Compare(a.Label, b.Label))
	})
	v.reasons(func(g giving) {
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

func (v *View) expectation(f *fact.Expectation, broken []query.Broken, dated bool) wire.Expectation {
	out := wire.Expectation{ID: f.ID.String(), Key: f.Key, Label: f.Label, Words: change.ExpectationWords(f, v.Snapshot, v), Description: f.Description, Except: f.Of.Except, Nobody: f.Of.Nobody,
		Application: v.applicationRef(f.Application, false), Action: f.Action, Pattern: f.Pattern, May: f.May, Blocking: f.Blocking, Ended: f.Ended, Given: &wire.Given{Revision: f.Opened}}
	if out.Label == "" {
		out.Label = out.Words
	}
	if f.Of.User != 0 {
		x := v.userRef(f.Of.User)
		out.User = &x
	}
	if f.Of.Group != 0 {
		x := v.groupRef(f.Of.Group, false)
		out.Group = &x
	}
	if f.Owner != 0 {
		x := v.userRef(f.Owner)
		out.Owner = &x
	}
	out.Broken = v.brokenBy(f, broken, dated)
	return out
}

// brokenBy says who of those the caller may read breaks an expectation; nil when none of
// them does at the instant.
func (v *View) brokenBy(f *fact.Expectation, broken []query.Broken, dated bool) *wire.Broken {
	out := &wire.Broken{By: []wire.Breaker{}, Outside: !v.rights().ReadsAllUsers()}
	var first *query.Broken
	for _, b := range broken {
		if !b.When.Holds(v.at) {
			continue
		}
		if b.User != 0 && !v.readsUser(b.User) {
			continue
		}
		if first == nil {
			first = &b
		}
		if out.UserCount++; len(out.By) < mostNamed {
			out.By = append(out.By, wire.Breaker{User: v.userOrNobody(b.User), Until: instant(b.When[0].Until)})
		}
	}
	if first == nil {
		return nil
	}
	if dated {
		v.brokenSince(f, first.User, out)
	}
	return out
}

func (v *View) userOrNobody(id fact.UserID) wire.Ref {
	if id == 0 {
		return wire.Ref{Label: "Nobody signed in"}
	}
	return v.userRef(id)
}

// brokenSince finds out since when somebody breaks an expectation, and by which
// revision, from all that ever concerned them. It is left out where that cannot
// be read just now.
func (v *View) brokenSince(f *fact.Expectation, id fact.UserID, out *wire.Broken) {
	eras, err := v.service.Ledger.RoleHistory(v.ctx, id)
	if err != nil {
		return
	}
	begun := map[int64]calendar.Instant{}
	for _, e := range eras {
		begun[e.Revision] = e.From
	}
	for _, s := range query.BrokenSpans(eras, f, id) {
		if !s.Holds(v.at) {
			continue
		}
		if s.Revision < f.Opened {
			out.Written, out.Change = true, &wire.Given{Revision: f.Opened}
			continue
		}
		out.Since = instant(s.From)
		if begun[s.Revision] == s.From {
			out.Change = &wire.Given{Revision: s.Revision}
		}
	}
}

// expectationRail says which expectation would be broken, to whoever may read
// what it speaks of.
func (v *View) expectationRail(r change.Rail) string {
	f := r.Expectation
	if !v.readsApplication(f.Application) || f.Of.User != 0 && !v.readsUser(f.Of.User) || f.Of.Group != 0 && !v.readsGroup(f.Of.Group) {
		return "A check that should hold would fail."
	}
	text := f.Label
	if text == "" {
		text = change.ExpectationWords(f, v.Snapshot, v)
	}
	who := v.several(r.Users)
	if len(r.Users) == 1 && r.Users[0] == 0 {
		who = "nobody signed in"
	}
	text = fmt.Sprintf("The expectation “%s” would be broken by %s", text, who)
	if f.Description != "" {
		text += " (" + f.Description + ")"
	}
	if f.Owner != 0 && v.readsUser(f.Owner) {
		return text + "; ask " + v.UserName(f.Owner) + ", its owner."
	}
	return text + "."
}

// leavingLive says what it means that an application is no longer live.
func (v *View) leavingLive(r change.Rail) string {
	app := v.applicationRef(r.Application, false).Label
	if r.State == fact.StateRehearsal {
		return "Everybody who is signed in could do everything in " + app + ": a rehearsal denies nothing, it only counts."
	}
	return "Nobody could do anything in " + app + " any more."
}

// expected says, of expectations a change writes, which do not hold already.
func (v *View) expected(d *change.Draft, ops []change.Operation) []wire.Note {
	var out []wire.Note
	for _, f := range d.WroteExpectations() {
		b := v.brokenBy(f, query.BrokenBy(v.Snapshot, f, v.at), false)
		if b == nil {
			continue
		}
		who := "somebody " + Outside
		if b.UserCount > 0 {
			who = b.By[0].User.Label
		}
		if b.UserCount > 1 {
			who += fmt.Sprintf(" and %d others", b.UserCount-1)
		}
		out = append(out, wire.Note{Operation: slices.IndexFunc(ops, func(op change.Operation) bool {
			o, ok := op.(*operation.SetExpectation)
			return ok && string(o.Expectation) == f.ID.String()
		}), Code: "not_so_yet", Message: fmt.Sprintf("It does not hold yet: %s. What is so already is left alone; what would break it anew is %s.", who,
			map[bool]string{true: "refused", false: "warned of"}[f.Blocking])})
	}
	return out
}
