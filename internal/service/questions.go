package service

import (
	"context"
	"fmt"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/usage"
	"ableroster/wire"
)

// mostChecks bounds the questions of one call.
const mostChecks = 1000

// Checks answers many questions from one snapshot. One that cannot be asked
// refuses them all, with every fault at its place.
func (v *View) Checks(questions []wire.CheckRequest) ([]wire.CheckAnswer, error) {
	var faults []wire.Fault
	if len(questions) == 0 || len(questions) > mostChecks {
		faults = append(faults, wire.Fault{Place: "/checks", Message: fmt.Sprintf("has 1 to %d questions", mostChecks)})
	}
	for i, q := range questions {
		faults = append(faults, questionFaults(fmt.Sprintf("/checks/%d", i), q)...)
	}
	if len(faults) > 0 {
		return nil, Invalid("the questions cannot be asked", faults...)
	}
	out := make([]wire.CheckAnswer, len(questions))
	for i, q := range questions {
		var err error
		if out[i], err = v.Check(q); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// HolderSearch asks who can do an action on a path of an application.
type HolderSearch struct {
	Application, Action, Path string
	Cursor                    string
	Limit                     int
}

// Holders are all who can do something, of those the caller may read.
func (v *View) Holders(q HolderSearch) (wire.HolderList, error) {
	app, ok := v.FindApplication(q.Application)
	if !ok || !v.readsApplication(app) {
		return wire.HolderList{}, v.missing(fact.FactApplication, q.Application)
	}
	if err := patterns.CheckPath(q.Path); err != nil {
		return wire.HolderList{}, Invalid("the question cannot be asked", wire.Fault{Place: "path", Message: err.Error()})
	}
	return v.holderList(query.Holders(v.Snapshot, app, q.Action, q.Path, v.at), q.Cursor, q.Limit)
}

// RoleHolding are the users who hold a role, of those the caller may read.
func (v *View) RoleHolding(role, cursor string, limit int) (wire.HolderList, error) {
	id, ok := v.FindRole(role)
	if !ok || !v.readsRole(id) {
		return wire.HolderList{}, v.missing(fact.FactRole, role)
	}
	return v.holderList(query.RoleHolding(v.Snapshot, id, v.at), cursor, limit)
}

func (v *View) holderList(all []query.Holder, cursor string, limit int) (wire.HolderList, error) {
	out := wire.HolderList{Basis: v.basis(), Holders: []wire.Holder{}, Outside: !v.rights().ReadsAllUsers()}
	seen := all[:0:0]
	for _, h := range all {
		if h.User == 0 || v.readsUser(h.User) {
			seen = append(seen, h)
		}
	}
	page, next, err := cut(seen, cursor, limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(seen), next
	for _, h := range page {
		x := wire.Holder{User: wire.Ref{Label: "Nobody signed in"}, Kind: "nobody", Through: v.through(*h.Chain), Until: instant(h.Until),
			Own: h.Own, Scheduled: h.Schedule, Path: v.path(h.User, *h.Chain)}
		if h.User != 0 {
			x.User, x.Kind = v.userRef(h.User), "user"
		}
		out.Holders = append(out.Holders, x)
	}
	v.reasons(func(g giving) {
		for i := range out.Holders {
			for j := range out.Holders[i].Path.Steps {
				g(&out.Holders[i].Path.Steps[j].Given)
			}
		}
	})
	return out, nil
}

// BetweenSearch asks what changed from one instant to another; blank fields do
// not narrow. The zero To is now.
type BetweenSearch struct {
	From, To          time.Time
	User, Application string
	Role              string // who came to hold this role, or ceased to
	Cursor            string
	Limit             int
}

// GainedAndLost is who gained and lost what from one instant to another, of the users
// and applications the caller may read.
func (d *Service) GainedAndLost(ctx context.Context, c Caller, q BetweenSearch) (wire.GainedAndLost, error) {
	v := d.Now(ctx, c)
	if q.To.IsZero() {
		q.To = v.at.Time()
	}
	if faults := timesOf("from", q.From, "to", q.To); len(faults) > 0 {
		return wire.GainedAndLost{}, Invalid("the question cannot be asked", faults...)
	}
	if !q.From.Before(q.To) {
		return wire.GainedAndLost{}, Invalid("the question cannot be asked", wire.Fault{Place: "from", Message: "is not before to"})
	}
	var only fact.UserID
	var app fact.ApplicationID
	var ok bool
	if q.User != "" {
		if only, ok = v.FindUser(q.User); !ok || !v.readsUser(only) {
			return wire.GainedAndLost{}, v.missing(fact.FactUser, q.User)
		}
	}
	if q.Application != "" {
		if app, ok = v.FindApplication(q.Application); !ok || !v.readsApplication(app) {
			return wire.GainedAndLost{}, v.missing(fact.FactApplication, q.Application)
		}
	}
	var role fact.RoleID
	if q.Role != "" {
		if role, ok = v.FindRole(q.Role); !ok || !v.readsRole(role) {
			return wire.GainedAndLost{}, v.missing(fact.FactRole, q.Role)
		}
	}
	before, err := d.past(ctx, q.From, only)
	if err != nil {
		return wire.GainedAndLost{}, err
	}
	after, err := d.past(ctx, q.To, only)
	if err != nil {
		return wire.GainedAndLost{}, err
	}
	v1, v2 := v.in(before, q.From), v.in(after, q.To)
	out := wire.GainedAndLost{From: v1.basis(), To: v2.basis()}
	all := differences(v1, v2, only, app, role)
	page, next, err := cut(all, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	for _, x := range all {
		out.Gained += len(x.Gained)
		out.Lost += len(x.Lost)
	}
	out.Users, out.Total, out.Next = append([]wire.Difference{}, page...), len(all), next
	if only != 0 {
		out.Changes, err = v.changesOf(only, before.Revision, after.Revision)
	}
	return out, err
}

// timesOf are the faults of named times outside the years that can be written.
func timesOf(named ...any) []wire.Fault {
	var out []wire.Fault
	for i := 0; i < len(named); i += 2 {
		if err := calendar.CheckTime(named[i+1].(time.Time)); err != nil {
			out = append(out, wire.Fault{Place: named[i].(string), Message: err.Error()})
		}
	}
	return out
}

// past is the snapshot at an instant: whole, or of one user alone.
func (d *Service) past(ctx context.Context, at time.Time, only fact.UserID) (*access.Snapshot, error) {
	if only != 0 {
		return d.Ledger.Slice(ctx, calendar.At(at), only)
	}
	return d.Ledger.At(ctx, calendar.At(at))
}

// differences are worked out once for each class of users who hold equally. With
// a role they are those of users who came to hold it or ceased to, of what it
// gives.
func differences(v1, v2 *View, only fact.UserID, app fact.ApplicationID, role fact.RoleID) []wire.Difference {
	type class struct{ gained, lost []query.Entitlement }
	classes := map[string]class{}
	out := []wire.Difference{}
	for u := range v2.today.Users() {
		if only != 0 && u.ID != only || !v2.readsUser(u.ID) {
			continue
		}
		held := ""
		if role != 0 {
			had, has := v1.HoldsRole(u.ID, role, v1.at), v2.HoldsRole(u.ID, role, v2.at)
			if had == has {
				continue
			}
			held = map[bool]string{true: "gained", false: "lost"}[has]
		}
		key := query.Class(v1.Snapshot, v2.Snapshot, u.ID)
		c, ok := classes[key]
		if !ok {
			c.gained, c.lost = query.Between(v1.Snapshot, v1.at, v2.Snapshot, v2.at, u.ID)
			classes[key] = c
		}
		x := wire.Difference{User: v2.userRef(u.ID), Role: held, Gained: v2.some(c.gained, app, role), Lost: v1.some(c.lost, app, role)}
		if len(x.Gained)+len(x.Lost) > 0 || role != 0 {
			out = append(out, x)
		}
	}
	return out
}

// some are the entitlements in an application, and those a role gives, where
// either is asked for.
func (v *View) some(es []query.Entitlement, app fact.ApplicationID, role fact.RoleID) []wire.Entitlement {
	var some []query.Entitlement
	for _, e := range es {
		if (app == 0 || e.Application == app) && (role == 0 || query.RoleGives(v.Snapshot, role, &e)) {
			some = append(some, e)
		}
	}
	return v.entitlements(some)
}

// changesOf are the revisions between two that speak of a user.
func (v *View) changesOf(id fact.UserID, after, upTo int64) ([]wire.Revision, error) {
	subject := subjectID(change.Subject{Kind: fact.FactUser, Row: uint32(id)})
	revs, err := v.service.Ledger.History(v.ctx, ledger.HistoryFilter{Subject: []string{subject}, AtMost: upTo}, 200)
	if err != nil {
		return nil, err
	}
	var out []wire.Revision
	for _, r := range revs {
		if r.Revision > after {
			out = append(out, v.revision(r, subject))
		}
	}
	return out, nil
}

// Timeline is from when to when a user held an action on a path, and through
// what, from the first revision on.
func (d *Service) PermissionTimeline(ctx context.Context, c Caller, user, application, action, path string) (wire.PermissionTimeline, error) {
	v := d.Now(ctx, c)
	id, ok := v.FindUser(user)
	if !ok || !v.readsUser(id) {
		return wire.PermissionTimeline{}, v.missing(fact.FactUser, user)
	}
	app, ok := v.FindApplication(application)
	if !ok || !v.readsApplication(app) && id != c.User {
		return wire.PermissionTimeline{}, v.missing(fact.FactApplication, application)
	}
	if err := patterns.CheckPath(path); err != nil {
		return wire.PermissionTimeline{}, Invalid("the question cannot be asked", wire.Fault{Place: "path", Message: err.Error()})
	}
	eras, err := d.Ledger.RoleHistory(ctx, id)
	if err != nil {
		return wire.PermissionTimeline{}, err
	}
	out := wire.PermissionTimeline{Basis: v.basis(), User: v.userRef(id), Application: v.applicationRef(app, true), Action: action, Path: path, Spans: []wire.Span{}}
	bySnapshot := map[int64]*access.Snapshot{}
	for _, e := range eras {
		bySnapshot[e.Revision] = e.Snapshot
	}
	for _, s := range query.Timeline(eras, id, app, action, path) {
		w := *v
		w.Snapshot = bySnapshot[s.Revision]
		x := wire.Span{From: s.From.Time(), Until: instant(s.Until), Own: s.Own, Schedule: schedule(s.Schedule), Revision: s.Revision, Paths: []wire.Path{}}
		for _, chain := range s.Chains {
			x.Paths = append(x.Paths, w.path(id, chain))
		}
		out.Spans = append(out.Spans, x)
	}
	v.reasons(func(g giving) {
		for i := range out.Spans {
			visitPaths(out.Spans[i].Paths, g)
		}
	})
	return out, nil
}

// WhatIf answers questions under a change that is not made. Whoever may not
// make the change may not ask what it would do.
func (d *Service) WhatIf(ctx context.Context, c Caller, in wire.WhatIfRequest) (wire.WhatIfAnswer, error) {
	var out wire.WhatIfAnswer
	var err error
	if out.Change, err = d.Change(ctx, c, wire.ChangeRequest{Operations: in.Operations}, How{DryRun: true}); err != nil {
		return out, err
	}
	v := d.Now(ctx, c)
	draft := change.NewDraft(v.today)
	ops, _ := decode(in.Operations)
	for i, op := range ops {
		draft.Apply(i, op, v.at)
	}
	if len(draft.Faults) > 0 { // somebody was faster just now
		return out, Invalid("the change no longer fits", v.faults(draft, func(f change.Fault) wire.Fault {
			return wire.Fault{Place: fmt.Sprintf("/operations/%d", f.Operation)}
		})...)
	}
	v.Snapshot = &draft.Snapshot
	v.today = v.Snapshot // those it adds are seen where it puts them; rights stay the caller's present ones
	if len(in.Checks) > 0 {
		if out.Answers, err = v.Checks(in.Checks); err != nil {
			return out, err
		}
	}
	if in.Access != "" {
		id, ok := v.FindUser(in.Access)
		if !ok || !v.readsUser(id) {
			return out, v.missing(fact.FactUser, in.Access)
		}
		a := v.Access(id)
		out.Access = &a
	}
	return out, nil
}

// Rehearsal is what an application in rehearsal has let through that live would
// deny, of the users the caller may read, and whether it still would.
func (d *Service) Rehearsal(ctx context.Context, c Caller, application string) (wire.Rehearsal, error) {
	v := d.Now(ctx, c)
	app, ok := v.FindApplication(application)
	if !ok || !v.readsApplication(app) {
		return wire.Rehearsal{}, v.missing(fact.FactApplication, application)
	}
	out := wire.Rehearsal{Basis: v.basis(), Application: v.applicationRef(app, false), State: string(v.Snapshot.Application(app).State), Counts: []wire.RehearsalCount{}}
	all, err := d.Usage.Of(ctx, usage.Rehearsed, app)
	if err != nil {
		return out, err
	}
	out.Counts, out.Outside = v.counts(app, all), !v.rights().ReadsAllUsers()
	return out, nil
}

// counts are those about users the caller may read.
func (v *View) counts(app fact.ApplicationID, all []usage.Count) []wire.RehearsalCount {
	out := []wire.RehearsalCount{}
	for _, x := range all {
		if x.User != 0 && !v.readsUser(x.User) {
			continue
		}
		if len(out) < mostCounts {
			out = append(out, wire.RehearsalCount{User: v.userOrNobody(x.User), Action: x.Action, Path: x.Path, Times: x.Times, Last: x.Last,
				Denied: !v.AllowedLive(x.User, app, x.Action, x.Path, v.at)})
		}
	}
	return out
}

// mostCounts bounds what one answer lists.
const mostCounts = 1000
