package questions

import (
	"context"
	"fmt"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/internal/usage"
	"ableroster/wire"
)

// mostChecks bounds the questions of one call.
const mostChecks = 1000

// Checks answers many questions from one snapshot. One that cannot be asked
// refuses them all, with every fault at its place.
func Checks(v *seeing.View, questions []wire.CheckRequest) ([]wire.CheckAnswer, error) {
	var faults []wire.Fault
	if len(questions) == 0 || len(questions) > mostChecks {
		faults = append(faults, wire.Fault{Place: "/checks", Message: fmt.Sprintf("has 1 to %d questions", mostChecks)})
	}
	for i, q := range questions {
		faults = append(faults, questionFaults(fmt.Sprintf("/checks/%d", i), q)...)
	}
	if len(faults) > 0 {
		return nil, seeing.Invalid("the questions cannot be asked", faults...)
	}
	out := make([]wire.CheckAnswer, len(questions))
	for i, q := range questions {
		var err error
		if out[i], err = Check(v, q); err != nil {
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
func Holders(v *seeing.View, q HolderSearch) (wire.HolderList, error) {
	app, ok := v.Uncut().FindApplication(q.Application)
	if !ok || !v.ReadsApplication(app) {
		return wire.HolderList{}, v.Missing(fact.FactApplication, q.Application)
	}
	if err := patterns.CheckPath(q.Path); err != nil {
		return wire.HolderList{}, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "path", Message: err.Error()})
	}
	return holderList(v, query.Holders(v.Uncut(), app, q.Action, q.Path, v.At), q.Cursor, q.Limit)
}

// RoleHolding are the users who hold a role, of those the caller may read.
func RoleHolding(v *seeing.View, role, cursor string, limit int) (wire.HolderList, error) {
	id, ok := v.Uncut().FindRole(role)
	if !ok || !v.ReadsRole(id) {
		return wire.HolderList{}, v.Missing(fact.FactRole, role)
	}
	return holderList(v, query.RoleHolding(v.Uncut(), id, v.At), cursor, limit)
}

func holderList(v *seeing.View, all []query.Holder, cursor string, limit int) (wire.HolderList, error) {
	out := wire.HolderList{Basis: v.Basis(), Holders: []wire.Holder{}, Outside: !v.Rights().ReadsAllUsers()}
	seen := all[:0:0]
	for _, h := range all {
		if h.User == 0 || v.ReadsUser(h.User) {
			seen = append(seen, h)
		}
	}
	page, next, err := seeing.Cut(seen, cursor, limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(seen), next
	for _, h := range page {
		x := wire.Holder{User: wire.Ref{Label: "Nobody signed in"}, Kind: "nobody", Through: v.Through(*h.Chain), Until: seeing.Instant(h.Until),
			Own: h.Own, Scheduled: h.Schedule, Path: v.Path(h.User, *h.Chain)}
		if h.User != 0 {
			x.User, x.Kind = v.UserRef(h.User), "user"
		}
		out.Holders = append(out.Holders, x)
	}
	v.Reasons(func(g seeing.Giving) {
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
func GainedAndLost(ctx context.Context, d *seeing.Service, c seeing.Caller, q BetweenSearch) (wire.GainedAndLost, error) {
	v := d.Now(ctx, c)
	if q.To.IsZero() {
		q.To = v.At.Time()
	}
	if faults := timesOf("from", q.From, "to", q.To); len(faults) > 0 {
		return wire.GainedAndLost{}, seeing.Invalid("the question cannot be asked", faults...)
	}
	if !q.From.Before(q.To) {
		return wire.GainedAndLost{}, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "from", Message: "is not before to"})
	}
	var only fact.UserID
	var app fact.ApplicationID
	var ok bool
	if q.User != "" {
		if only, ok = v.Uncut().FindUser(q.User); !ok || !v.ReadsUser(only) {
			return wire.GainedAndLost{}, v.Missing(fact.FactUser, q.User)
		}
	}
	if q.Application != "" {
		if app, ok = v.Uncut().FindApplication(q.Application); !ok || !v.ReadsApplication(app) {
			return wire.GainedAndLost{}, v.Missing(fact.FactApplication, q.Application)
		}
	}
	var role fact.RoleID
	if q.Role != "" {
		if role, ok = v.Uncut().FindRole(q.Role); !ok || !v.ReadsRole(role) {
			return wire.GainedAndLost{}, v.Missing(fact.FactRole, q.Role)
		}
	}
	before, err := snapshotAt(ctx, d, q.From, only)
	if err != nil {
		return wire.GainedAndLost{}, err
	}
	after, err := snapshotAt(ctx, d, q.To, only)
	if err != nil {
		return wire.GainedAndLost{}, err
	}
	v1, v2 := v.In(before, q.From), v.In(after, q.To)
	out := wire.GainedAndLost{From: v1.Basis(), To: v2.Basis()}
	all := differences(v1, v2, only, app, role)
	page, next, err := seeing.Cut(all, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	for _, x := range all {
		out.Gained += len(x.Gained)
		out.Lost += len(x.Lost)
	}
	out.Users, out.Total, out.Next = append([]wire.Difference{}, page...), len(all), next
	if only != 0 {
		out.Changes, err = changesOf(v, only, before.Revision, after.Revision)
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

// snapshotAt is the snapshot at an instant: whole, or of one user alone.
func snapshotAt(ctx context.Context, d *seeing.Service, at time.Time, only fact.UserID) (*access.Snapshot, error) {
	if only != 0 {
		return d.Ledger.Slice(ctx, calendar.At(at), only)
	}
	return d.Ledger.At(ctx, calendar.At(at))
}

// differences are worked out once for each class of users who hold equally. With
// a role they are those of users who came to hold it or ceased to, of what it
// gives.
func differences(v1, v2 *seeing.View, only fact.UserID, app fact.ApplicationID, role fact.RoleID) []wire.Difference {
	type class struct{ gained, lost []query.Entitlement }
	classes := map[string]class{}
	out := []wire.Difference{}
	for u := range v2.UncutToday().Users() {
		if only != 0 && u.ID != only || !v2.ReadsUser(u.ID) {
			continue
		}
		turn := ""
		if role != 0 {
			had, has := held.HasRole(v1.Uncut(), u.ID, role, v1.At), held.HasRole(v2.Uncut(), u.ID, role, v2.At)
			if had == has {
				continue
			}
			turn = map[bool]string{true: "gained", false: "lost"}[has]
		}
		key := query.Class(v1.Uncut(), v2.Uncut(), u.ID)
		c, ok := classes[key]
		if !ok {
			c.gained, c.lost = query.Between(v1.Uncut(), v1.At, v2.Uncut(), v2.At, u.ID)
			classes[key] = c
		}
		x := wire.Difference{User: v2.UserRef(u.ID), Role: turn, Gained: some(v2, c.gained, app, role), Lost: some(v1, c.lost, app, role)}
		if len(x.Gained)+len(x.Lost) > 0 || role != 0 {
			out = append(out, x)
		}
	}
	return out
}

// some are the entitlements in an application, and those a role gives, where
// either is asked for.
func some(v *seeing.View, es []query.Entitlement, app fact.ApplicationID, role fact.RoleID) []wire.Entitlement {
	var some []query.Entitlement
	for _, e := range es {
		if (app == 0 || e.Application == app) && (role == 0 || query.RoleGives(v.Uncut(), role, &e)) {
			some = append(some, e)
		}
	}
	return v.Entitlements(some)
}

// changesOf are the revisions between two that speak of a user.
func changesOf(v *seeing.View, id fact.UserID, after, upTo int64) ([]wire.Revision, error) {
	subject := seeing.SubjectID(change.Subject{Kind: fact.FactUser, Row: uint32(id)})
	revs, err := v.Service.Ledger.History(v.Ctx, revisions.HistoryFilter{Subject: []string{subject}, AtMost: upTo}, 200)
	if err != nil {
		return nil, err
	}
	var out []wire.Revision
	for _, r := range revs {
		if r.Revision > after {
			out = append(out, v.RevisionAnswer(r, subject))
		}
	}
	return out, nil
}

// Timeline is from when to when a user held an action on a path, and through
// what, from the first revision on.
func PermissionTimeline(ctx context.Context, d *seeing.Service, c seeing.Caller, user, application, action, path string) (wire.PermissionTimeline, error) {
	v := d.Now(ctx, c)
	id, ok := v.Uncut().FindUser(user)
	if !ok || !v.ReadsUser(id) {
		return wire.PermissionTimeline{}, v.Missing(fact.FactUser, user)
	}
	app, ok := v.Uncut().FindApplication(application)
	if !ok || !v.ReadsApplication(app) && id != c.User {
		return wire.PermissionTimeline{}, v.Missing(fact.FactApplication, application)
	}
	if err := patterns.CheckPath(path); err != nil {
		return wire.PermissionTimeline{}, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "path", Message: err.Error()})
	}
	eras, err := d.Ledger.RoleHistory(ctx, id)
	if err != nil {
		return wire.PermissionTimeline{}, err
	}
	out := wire.PermissionTimeline{Basis: v.Basis(), User: v.UserRef(id), Application: v.ApplicationRef(app, true), Action: action, Path: path, Spans: []wire.Span{}}
	bySnapshot := map[int64]*access.Snapshot{}
	for _, e := range eras {
		bySnapshot[e.Revision] = e.Snapshot
	}
	for _, s := range query.Timeline(eras, id, app, action, path) {
		w := *v
		w.Show(bySnapshot[s.Revision])
		x := wire.Span{From: s.From.Time(), Until: seeing.Instant(s.Until), Own: s.Own, Schedule: seeing.Schedule(s.Schedule), Revision: s.Revision, Paths: []wire.Path{}}
		for _, chain := range s.Chains {
			x.Paths = append(x.Paths, w.Path(id, chain))
		}
		out.Spans = append(out.Spans, x)
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Spans {
			seeing.VisitPaths(out.Spans[i].Paths, g)
		}
	})
	return out, nil
}

// Rehearsal is what an application in rehearsal has let through that live would
// deny, of the users the caller may read, and whether it still would.
func Rehearsal(ctx context.Context, d *seeing.Service, c seeing.Caller, application string) (wire.Rehearsal, error) {
	v := d.Now(ctx, c)
	app, ok := v.Uncut().FindApplication(application)
	if !ok || !v.ReadsApplication(app) {
		return wire.Rehearsal{}, v.Missing(fact.FactApplication, application)
	}
	out := wire.Rehearsal{Basis: v.Basis(), Application: v.ApplicationRef(app, false), State: string(v.Uncut().Application(app).State), Counts: []wire.RehearsalCount{}}
	all, err := d.Usage.Of(ctx, usage.Rehearsed, app)
	if err != nil {
		return out, err
	}
	out.Counts, out.Outside = counts(v, app, all), !v.Rights().ReadsAllUsers()
	return out, nil
}

// counts are those about users the caller may read.
func counts(v *seeing.View, app fact.ApplicationID, all []usage.Count) []wire.RehearsalCount {
	out := []wire.RehearsalCount{}
	for _, x := range all {
		if x.User != 0 && !v.ReadsUser(x.User) {
			continue
		}
		if len(out) < mostCounts {
			out = append(out, wire.RehearsalCount{User: userOrNobody(v, x.User), Action: x.Action, Path: x.Path, Times: x.Times, Last: x.Last,
				Denied: !v.Uncut().AllowedLive(x.User, app, x.Action, x.Path, v.At)})
		}
	}
	return out
}

// mostCounts bounds what one answer lists.
const mostCounts = 1000
