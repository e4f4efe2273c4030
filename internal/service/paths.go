package service

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/request"
	"ableroster/internal/usage"
	"ableroster/wire"
)

// path draws a chain as its steps from the user to the permission.
func (v *View) path(user fact.UserID, c query.Chain) wire.Path {
	// Whoever looks at their own access, or reviews somebody's, sees what gives it.
	own := user != 0 && (user == v.caller.User || v.known[user])
	out := wire.Path{From: instant(c.Window.From), Until: instant(c.Window.Until), Fails: string(c.Fails)}
	if user == 0 {
		out.Steps = append(out.Steps, wire.Step{Kind: "nobody", Ref: wire.Ref{Label: "Nobody signed in"}})
	} else {
		out.Steps = append(out.Steps, wire.Step{Kind: "user", Ref: v.userRef(user)})
	}
	if c.BuiltIn != 0 {
		out.Steps = append(out.Steps, wire.Step{Kind: "group", Ref: v.groupRef(c.BuiltIn, own)})
	}
	if c.Rule != 0 {
		step := wire.Step{Kind: "group", Ref: v.groupRef(c.Rule, own)}
		if g := v.Snapshot.Group(c.Rule); g != nil && !step.Outside {
			step.Rule = g.Filter
		}
		out.Steps = append(out.Steps, step)
	}
	for _, m := range c.Memberships {
		f := v.Membership(m)
		out.Steps = append(out.Steps, wire.Step{Kind: "group", Ref: v.groupRef(f.Group, own), Default: v.defaultRef(f.Rule),
			From: instant(f.Window.From), Until: instant(f.Window.Until), Given: &wire.Given{Revision: f.Opened}})
	}
	a := v.Snapshot.Assignment(c.Assignment)
	for i, r := range c.Roles {
		step := wire.Step{Kind: "included_role", Ref: v.roleRef(r, own)}
		if i == 0 {
			step.Kind, step.Assignment, step.Origin, step.Default = "role", a.ID.String(), string(a.Origin), v.defaultRef(a.Rule)
			step.From, step.Until = instant(a.Window.From), instant(a.Window.Until)
			step.Given = &wire.Given{Revision: a.Opened}
			step.Scopes, step.Schedule = v.scopes(a.Scopes), schedule(a.Schedule)
		}
		out.Steps = append(out.Steps, step)
	}
	if c.Permission == 0 { // a way to a role
		return out
	}
	p := v.Permission(c.Permission)
	app := v.applicationRef(p.Application, true)
	out.Steps = append(out.Steps, wire.Step{Kind: "permission", Ref: wire.Ref{ID: p.ID.String(), Label: p.Pattern},
		Application: &app, Actions: p.Actions, Pattern: p.Pattern, Own: p.Own})
	return out
}

// through is how a chain gives: the mark of a line or a cell.
func (v *View) through(c query.Chain) string {
	switch {
	case v.Snapshot.Assignment(c.Assignment).Rule != 0,
		len(c.Memberships) > 0 && v.Membership(c.Memberships[0]).Rule != 0:
		return "default"
	case c.BuiltIn == fact.PublicGroup:
		return "public"
	case c.BuiltIn == fact.AllUsersGroup:
		return "all-users"
	case len(c.Memberships) > 0, c.Rule != 0:
		return "group"
	case len(c.Roles) > 1:
		return "included"
	}
	return "direct"
}

// soon is how far ahead an end is worth pointing out.
const soon = 14 * 24 * time.Hour

// Access is all a user can do, with why.
func (v *View) Access(id fact.UserID) wire.Access {
	out := wire.Access{Basis: v.basis(), User: v.userRef(id), Effective: v.Effective(id, v.at), Lines: []wire.AccessLine{}}
	apps := map[fact.ApplicationID]bool{}
	for _, e := range query.Entitlements(v.Snapshot, id) {
		for _, w := range e.When {
			if !w.Holds(v.at) {
				continue
			}
			out.Things++
			apps[e.Application] = true
			if w.Until != 0 && w.Until <= v.at+calendar.Instant(soon.Microseconds()) {
				out.EndingSoon++
			}
		}
	}
	out.Applications = len(apps)
	for _, l := range query.Access(v.Snapshot, id, v.at) {
		line := wire.AccessLine{Application: v.applicationRef(l.Application, true), Actions: l.Actions, Pattern: l.Pattern,
			Through: v.through(l.Chains[0]), Now: l.When.Holds(v.at), Own: l.Own, Schedule: schedule(l.Schedule), Fences: l.Fences, When: v.when(l.When), Ended: len(l.When.From(v.at)) == 0, More: l.More}
		for _, w := range l.When {
			if w.Until == 0 || w.Until > v.at {
				line.Until = instant(w.Until)
				if w.From > v.at {
					line.From = instant(w.From)
				}
				break
			}
		}
		for _, c := range l.Chains {
			line.Paths = append(line.Paths, v.path(id, c))
		}
		out.Lines = append(out.Lines, line)
	}
	v.reasons(func(g giving) {
		for i := range out.Lines {
			visitPaths(out.Lines[i].Paths, g)
		}
	})
	return out
}

func visitPaths(paths []wire.Path, g giving) {
	for i := range paths {
		for j := range paths[i].Steps {
			g(&paths[i].Steps[j].Given)
		}
	}
}

// Check answers a question within what the caller may ask: an account with
// "decide" on the application gets the decision about anybody, somebody who
// may read the user gets its paths too. To all others the user is not there.
func (v *View) Check(q wire.CheckRequest) (wire.CheckAnswer, error) {
	if faults := questionFaults("", q); len(faults) > 0 {
		return wire.CheckAnswer{}, Invalid("the question cannot be asked", faults...)
	}
	at := v.at
	if q.At != nil {
		at = calendar.At(*q.At)
	}
	out := wire.CheckAnswer{Basis: v.basis()}
	out.At = at.Time()
	ask := access.Question{User: q.User, Application: q.Application, Action: q.Action, Path: q.Path, At: at, Owner: q.Properties.Owner}
	user, known := v.FindUser(q.User)
	app, appKnown := v.FindApplication(q.Application)
	decides := appKnown && v.decides(app)
	reads := q.User == "" || known && (decides && !q.Explain || v.readsUser(user))
	if appKnown && !decides && !v.readsApplication(app) && user != v.caller.User {
		ask.Application = "" // to this caller there is no such application
	}
	if !reads && !decides && q.User != "" {
		out.Reason, out.Message = string(access.UserUnknown), v.missing(fact.FactUser, q.User).Detail
		if !appKnown || !v.readsApplication(app) {
			out.Reason, out.Message = string(access.ApplicationUnknown), v.missing(fact.FactApplication, q.Application).Detail
		}
		return out, nil
	}
	if !q.Explain || !reads && known {
		d, err := v.Snapshot.Check(ask)
		if err != nil {
			return out, badPath(err)
		}
		out.Allowed, out.Reason, out.Message = d.Allowed, string(d.Reason), d.Reason.Sentence()
		if decides && !q.Explain {
			v.count(app, user, q, d.Reason)
		}
		if q.Explain && decides {
			out.Cure, out.Requestable = v.cure(ask, true)
		}
		return out, nil
	}
	e, err := query.Explain(v.Snapshot, ask)
	if err != nil {
		return out, badPath(err)
	}
	out.Allowed, out.Reason, out.More = e.Allowed, string(e.Reason), e.More
	for _, c := range e.Chains {
		out.Paths = append(out.Paths, v.path(user, c))
	}
	v.reasons(func(g giving) { visitPaths(out.Paths, g) })
	out.Message = v.sentence(q, e, out.Paths)
	out.Cure, out.Requestable = v.cure(ask, decides)
	return out, nil
}

// questionFaults are those of a question, below a place: what is blank asks nothing.
func questionFaults(place string, q wire.CheckRequest) []wire.Fault {
	var out []wire.Fault
	blank := func(field, text string) {
		if text == "" {
			out = append(out, wire.Fault{Place: place + "/" + field, Message: "is blank"})
		}
	}
	switch {
	case q.User == "" && !q.Nobody:
		out = append(out, wire.Fault{Place: place + "/user", Message: "is blank: name a user, or say nobody for nobody signed in"})
	case q.User != "" && q.Nobody:
		out = append(out, wire.Fault{Place: place + "/nobody", Message: "and user exclude each other: say one of them"})
	}
	blank("application", q.Application)
	blank("action", q.Action)
	if err := patterns.CheckPath(q.Path); err != nil {
		out = append(out, wire.Fault{Place: place + "/path", Message: err.Error()})
	}
	if q.At != nil {
		out = append(out, timesOf(place+"/at", *q.At)...)
	}
	return out
}

// count counts what an owner wants to know of the questions of an application.
func (v *View) count(app fact.ApplicationID, user fact.UserID, q wire.CheckRequest, r access.Reason) {
	if v.service.Usage == nil || r == access.Granted {
		return
	}
	k := usage.Key{Kind: usage.Rehearsed, Application: app, User: user, Action: q.Action, Path: q.Path}
	switch {
	case r == access.ResourceUnknown:
		k.Kind, k.User = usage.Unknown, 0
	case r == access.Rehearsal && query.UnknownPath(v.Snapshot, app, q.Path):
		v.service.Usage.Add(k, v.at.Time())
		k.Kind, k.User = usage.Unknown, 0
	case r == access.Rehearsal:
	case q.User == "" && v.Snapshot.Application(app).State == fact.StateRehearsal:
	default:
		return
	}
	v.service.Usage.Add(k, v.at.Time())
}

// mostCures is how many roles that would help are named.
const mostCures = 5

// cure are roles that would give what was denied, of those the caller may read;
// all of them to an account that decides for the application. Those that are
// offered may be known to whoever could ask for them.
func (v *View) cure(q access.Question, decides bool) (roles, offered []wire.Ref) {
	for _, r := range query.Cures(v.Snapshot, q) {
		if ref := v.roleRef(r, decides); !ref.Outside && len(roles) < mostCures {
			roles = append(roles, ref)
		}
		if request.RequestableOf(v.Snapshot, r) != nil && len(offered) < mostCures {
			offered = append(offered, v.roleRef(r, true))
		}
	}
	return roles, offered
}

func badPath(err error) error {
	return Invalid("the question cannot be asked", wire.Fault{Place: "/path", Message: err.Error()})
}

// sentence says an answer in words: to whom, what, and through what or what
// came near.
func (v *View) sentence(q wire.CheckRequest, e query.Explanation, paths []wire.Path) string {
	who := "Nobody signed in"
	if e.User != 0 {
		who = v.UserName(e.User)
	} else if q.User != "" {
		who = "“" + q.User + "”"
	}
	what := q.Action + " " + q.Path + " in " + q.Application
	if len(paths) == 0 && e.More { // so many ways that none of them was listed
		return e.Reason.Sentence()
	}
	switch e.Reason {
	case access.Granted:
		return fmt.Sprintf("%s may %s, %s.", who, what, v.by(paths[0]))
	case access.NotYet:
		return fmt.Sprintf("%s may not %s yet: held from %s, %s.", who, what, v.day(paths[0].From), v.by(paths[0]))
	case access.Ended:
		return fmt.Sprintf("%s may no longer %s: held until %s, %s.", who, what, v.day(paths[0].Until), v.by(paths[0]))
	case access.NotOwner:
		return fmt.Sprintf("%s may %s only where it is their own, %s.", who, what, v.by(paths[0]))
	case access.OutsideSchedule:
		return fmt.Sprintf("%s may not %s now: held %s, %s.", who, what, step(paths[0], "role").Schedule.Words, v.by(paths[0]))
	case access.OutOfScope:
		var scopes []string
		for _, s := range step(paths[0], "role").Scopes {
			scopes = append(scopes, s.Pattern+" of "+s.Application.Label)
		}
		return fmt.Sprintf("%s may not %s: held only within %s, %s.", who, what, strings.Join(scopes, " or "), v.by(paths[0]))
	case access.Fenced:
		return fmt.Sprintf("%s may not %s: it is fenced%s; %s is written for something wider.", who, what, v.fenceWords(q), strings.TrimPrefix(v.by(paths[0]), "by "))
	case access.Rehearsal:
		live := e
		live.Reason = e.Live
		why := v.sentence(q, live, paths)
		if _, short, ok := strings.Cut(why, ": "); ok {
			why = ": " + short
		} else {
			why = ". " + why
		}
		return fmt.Sprintf("%s may %s only because the application rehearses: once it is live, this is denied%s", who, what, why)
	case access.NoGrant:
		return fmt.Sprintf("%s may not %s: no role held gives it.", who, what)
	case access.UserInactive:
		return fmt.Sprintf("%s may do nothing now: %s.", who, v.whyInactive(e.User, calendar.At(v.at.Time())))
	case access.ApplicationUnknown, access.UserUnknown:
		kind, given := fact.FactApplication, q.Application
		if e.Reason == access.UserUnknown {
			kind, given = fact.FactUser, q.User
		}
		return v.missing(kind, given).Detail
	}
	why := e.Reason.Sentence()
	return fmt.Sprintf("%s may not %s: %s", who, what, strings.ToLower(why[:1])+why[1:])
}

func (v *View) whyInactive(id fact.UserID, at calendar.Instant) string {
	u := v.Snapshot.User(id)
	today := calendar.DateOf(at.Time().In(v.Zone()))
	switch {
	case u == nil:
		return "not in the register"
	case u.Status != fact.Active:
		return "the account is " + string(u.Status)
	case u.Start > today:
		return "the start date is " + u.Start.String()
	}
	return "the end date was " + u.End.String()
}

// step is the step of a kind on a path.
func step(p wire.Path, kind string) wire.Step {
	for _, s := range p.Steps {
		if s.Kind == kind {
			return s
		}
	}
	return wire.Step{}
}

// fenceWords names the fence that covers what was asked, and why it is there.
func (v *View) fenceWords(q wire.CheckRequest) string {
	app, _ := v.FindApplication(q.Application)
	for _, f := range v.Fences(app) {
		if patterns.Covers(f.Pattern, q.Path) {
			if f.Reason != "" {
				return " by " + f.Pattern + " (" + f.Reason + ")"
			}
			return " by " + f.Pattern
		}
	}
	return ""
}

func (v *View) by(p wire.Path) string {
	steps := p.Steps
	at := slices.IndexFunc(steps, func(s wire.Step) bool { return s.Kind == "role" })
	by := "by the role " + steps[at].Label
	if at > 1 {
		by += " through the group " + steps[at-1].Label
	}
	return by
}

func (v *View) day(t *time.Time) string {
	if t == nil {
		return "another time"
	}
	return t.In(v.Zone()).Format("2 January 2006 15:04")
}

// Menu is what a user may do in one application now.
func (v *View) Menu(user, application string, nobody bool) (wire.Menu, error) {
	var faults []wire.Fault
	switch {
	case user == "" && !nobody:
		faults = append(faults, wire.Fault{Place: "user", Message: "is missing: name a user, or say nobody=true for nobody signed in"})
	case user != "" && nobody:
		faults = append(faults, wire.Fault{Place: "nobody", Message: "and user exclude each other: say one of them"})
	}
	if application == "" {
		faults = append(faults, wire.Fault{Place: "application", Message: "is missing"})
	}
	if len(faults) > 0 {
		return wire.Menu{}, Invalid("the question cannot be asked", faults...)
	}
	id, known := v.FindUser(user)
	app, ok := v.FindApplication(application)
	decides := ok && v.decides(app)
	switch {
	case user != "" && (!known || !decides && !v.readsUser(id)):
		return wire.Menu{}, v.missing(fact.FactUser, user)
	case !ok || !decides && !v.readsApplication(app) && id != v.caller.User:
		return wire.Menu{}, v.missing(fact.FactApplication, application)
	}
	a := v.Snapshot.Application(app)
	out := wire.Menu{Basis: v.basis(), Application: a.Key, Actions: map[string][]wire.MenuPart{}}
	for _, x := range a.Actions {
		parts := []wire.MenuPart{}
		all, own := query.Menu(v.Snapshot, id, app, x.Key, v.at)
		for _, p := range all {
			parts = append(parts, wire.MenuPart{Pattern: p.Pattern, Except: p.Except})
		}
		for _, p := range own {
			parts = append(parts, wire.MenuPart{Pattern: p.Pattern, Except: p.Except, Own: true})
		}
		out.Actions[x.Key] = parts
	}
	return out, nil
}

// Grid is users × permissions of one application: nobody signed in first, then
// a would-be user where one is described.
func (v *View) Grid(application string, q Search, wouldBe *fact.User) (wire.Grid, error) {
	app, ok := v.FindApplication(application)
	if !ok || !v.readsApplication(app) {
		return wire.Grid{}, v.missing(fact.FactApplication, application)
	}
	page, err := v.search(q)
	if err != nil {
		return wire.Grid{}, err
	}
	out := wire.Grid{Basis: v.basis(), Application: v.applicationRef(app, false), Total: page.total, Next: page.next,
		Columns: []wire.GridColumn{}, Rows: []wire.GridRow{}}
	for _, r := range v.resourcesOf(app) {
		if r.Retired {
			continue
		}
		for _, a := range v.Snapshot.Application(app).Actions {
			out.Columns = append(out.Columns, wire.GridColumn{Path: r.Path, Label: r.Label, Action: a.Key})
		}
	}
	if q.Cursor == "" {
		out.Rows = append(out.Rows, wire.GridRow{Kind: "nobody", User: wire.Ref{Label: "Nobody signed in"},
			Cells: v.cells(0, app, out.Columns)})
	}
	if wouldBe != nil && q.Cursor == "" {
		w, id, err := v.wouldBe(*wouldBe)
		if err != nil {
			return out, err
		}
		out.Rows = append(out.Rows, wire.GridRow{Kind: "would_be", User: wire.Ref{Label: "A would-be user"}, Cells: w.cells(id, app, out.Columns)})
	}
	for _, u := range page.users {
		out.Rows = append(out.Rows, wire.GridRow{Kind: "user", User: v.userRef(u.ID), Cells: v.cells(u.ID, app, out.Columns)})
	}
	return out, nil
}

func (v *View) cells(id fact.UserID, app fact.ApplicationID, columns []wire.GridColumn) []wire.GridCell {
	targets := make([]query.Target, len(columns))
	for i, col := range columns {
		targets[i] = query.Target{Action: col.Action, Path: col.Path}
	}
	out := make([]wire.GridCell, len(columns))
	for i, c := range query.Cells(v.Snapshot, id, app, v.at, targets) {
		out[i] = wire.GridCell{Own: c.Own, Scheduled: c.Schedule, Fenced: c.Fenced, Until: instant(c.Until)}
		if c.Chain != nil {
			out[i].Mark = v.through(*c.Chain)
		}
	}
	return out
}
