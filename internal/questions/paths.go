package questions

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/request"
	"ableroster/internal/seeing"
	"ableroster/internal/usage"
	"ableroster/wire"
)

// Access is all a user can do, with why.
func Access(v *seeing.View, id fact.UserID) wire.Access {
	out := wire.Access{Basis: v.Basis(), User: v.UserRef(id), Effective: v.Uncut().Effective(id, v.At), Lines: []wire.AccessLine{}}
	apps := map[fact.ApplicationID]bool{}
	for _, e := range query.Entitlements(v.Uncut(), id) {
		for _, w := range e.When {
			if !w.Holds(v.At) {
				continue
			}
			out.Things++
			apps[e.Application] = true
			if w.Until != 0 && w.Until <= v.At+calendar.Instant(seeing.Soon.Microseconds()) {
				out.EndingSoon++
			}
		}
	}
	out.Applications = len(apps)
	for _, l := range query.Access(v.Uncut(), id, v.At) {
		line := wire.AccessLine{Application: v.ApplicationRef(l.Application, true), Actions: l.Actions, Pattern: l.Pattern,
			Through: v.Through(l.Chains[0]), Now: l.When.Holds(v.At), Own: l.Own, Schedule: seeing.Schedule(l.Schedule), Fences: l.Fences, When: v.When(l.When), Ended: len(l.When.From(v.At)) == 0, More: l.More}
		for _, w := range l.When {
			if w.Until == 0 || w.Until > v.At {
				line.Until = seeing.Instant(w.Until)
				if w.From > v.At {
					line.From = seeing.Instant(w.From)
				}
				break
			}
		}
		for _, c := range l.Chains {
			line.Paths = append(line.Paths, v.Path(id, c))
		}
		out.Lines = append(out.Lines, line)
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Lines {
			seeing.VisitPaths(out.Lines[i].Paths, g)
		}
	})
	return out
}

// Check answers a question within what the caller may ask: an account with
// "decide" on the application gets the decision about anybody, somebody who
// may read the user gets its paths too. To all others the user is not there.
func Check(v *seeing.View, q wire.CheckRequest) (wire.CheckAnswer, error) {
	if faults := questionFaults("", q); len(faults) > 0 {
		return wire.CheckAnswer{}, seeing.Invalid("the question cannot be asked", faults...)
	}
	at := timeOf(v, q)
	out := wire.CheckAnswer{Basis: v.Basis()}
	out.At = at.Time()
	q, nowhere := addressed(v, q)
	ask := access.Question{Nowhere: nowhere, User: q.User, Application: q.Application, Action: q.Action, Path: q.Path, At: at, Owner: q.Properties.Owner}
	var a access.Asked
	if err := v.Uncut().Resolve(&ask, &a); err != nil {
		return out, badPath(err)
	}
	user, known := a.User, a.Found()
	app, appKnown := a.App, a.Rec != nil
	decides := appKnown && v.Decides(app)
	reads := q.User == "" || known && (decides && !q.Explain || v.ReadsUser(user))
	if appKnown && !decides && !v.ReadsApplication(app) && user != v.Caller.User {
		ask.Application, a.Rec = "", nil // to this caller there is no such application
	}
	if q.Address != "" && !nowhere && (decides || appKnown && v.ReadsApplication(app)) {
		out.Action, out.Path = q.Action, q.Path
	}
	if !reads && !decides && q.User != "" {
		out.Reason, out.Message = string(access.UserUnknown), v.Missing(fact.FactUser, q.User).Detail
		if !appKnown || !v.ReadsApplication(app) {
			out.Reason, out.Message = string(access.ApplicationUnknown), v.Missing(fact.FactApplication, q.Application).Detail
		}
		return out, nil
	}
	if !q.Explain || !reads && known {
		d := v.Uncut().Answer(&ask, &a)
		decided(v, &a, d.Reason)
		out.Allowed, out.Reason, out.Message = d.Allowed, string(d.Reason), d.Reason.Sentence()
		if decides && !q.Explain && !q.Probe {
			count(v, app, user, q, d.Reason)
		}
		if q.Explain && decides {
			out.Cure, out.Requestable = cure(v, ask, true)
		}
		return out, nil
	}
	e := query.ExplainResolved(v.Uncut(), &ask, &a)
	decided(v, &a, e.Reason)
	out.Allowed, out.Reason, out.More = e.Allowed, string(e.Reason), e.More
	for _, c := range e.Chains {
		out.Paths = append(out.Paths, v.Path(user, c))
	}
	v.Reasons(func(g seeing.Giving) { seeing.VisitPaths(out.Paths, g) })
	out.Message = sentence(v, q, e, out.Paths)
	out.Cure, out.Requestable = cure(v, ask, decides)
	return out, nil
}

// CheckQuietly answers a question without counting it, whoever may know of it: for searches that
// have seen to that. A question that cannot be asked is an error.
func CheckQuietly(v *seeing.View, q wire.CheckRequest) (bool, error) {
	if faults := questionFaults("", q); len(faults) > 0 {
		return false, seeing.Invalid("the question cannot be asked", faults...)
	}
	q, nowhere := addressed(v, q)
	d, err := v.Uncut().Check(access.Question{Nowhere: nowhere, User: q.User, Application: q.Application, Action: q.Action, Path: q.Path, At: timeOf(v, q), Owner: q.Properties.Owner})
	return d.Allowed, err
}

// decided tells whoever counts decisions of one.
func decided(v *seeing.View, a *access.Asked, reason access.Reason) {
	if v.Service.Decided == nil {
		return
	}
	app := "unknown"
	if a.Rec != nil {
		app = a.Rec.Fact.Key
	}
	v.Service.Decided(app, string(reason))
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
	if q.Method != "" || q.Address != "" {
		return append(out, addressFaults(place, q)...)
	}
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
func count(v *seeing.View, app fact.ApplicationID, user fact.UserID, q wire.CheckRequest, r access.Reason) {
	if v.Service.Usage == nil || r == access.Granted {
		return
	}
	k := usage.Key{Kind: usage.Rehearsed, Application: app, User: user, Action: q.Action, Path: q.Path}
	if q.Address != "" && q.Path == patterns.Root {
		k.Path, _, _ = strings.Cut(q.Address, "?")
	}
	switch {
	case r == access.ResourceUnknown:
		k.Kind, k.User = usage.Unknown, 0
	case r == access.Rehearsal && query.UnknownPath(v.Uncut(), app, q.Path):
		v.Service.Usage.Add(k, v.At.Time())
		k.Kind, k.User = usage.Unknown, 0
	case r == access.Rehearsal:
	case q.User == "" && v.Uncut().Application(app).State == fact.StateRehearsal:
	default:
		return
	}
	v.Service.Usage.Add(k, v.At.Time())
}

// mostCures is how many roles that would help are named.
const mostCures = 5

// cure are roles that would give what was denied, of those the caller may read;
// all of them to an account that decides for the application. Those that are
// offered may be known to whoever could ask for them.
func cure(v *seeing.View, q access.Question, decides bool) (roles, offered []wire.Ref) {
	for _, r := range query.Cures(v.Uncut(), q) {
		if ref := v.RoleRef(r, decides); !ref.Outside && len(roles) < mostCures {
			roles = append(roles, ref)
		}
		if request.RequestableOf(v.Uncut(), r) != nil && len(offered) < mostCures {
			offered = append(offered, v.RoleRef(r, true))
		}
	}
	return roles, offered
}

func badPath(err error) error {
	return seeing.Invalid("the question cannot be asked", wire.Fault{Place: "/path", Message: err.Error()})
}

// sentence says an answer in words: to whom, what, and through what or what
// came near.
func sentence(v *seeing.View, q wire.CheckRequest, e query.Explanation, paths []wire.Path) string {
	who := "Nobody signed in"
	if e.User != 0 {
		who = v.UserName(e.User)
	} else if q.User != "" {
		who = "“" + q.User + "”"
	}
	what := q.Action + " " + q.Path + " in " + q.Application
	if q.Address != "" {
		what = q.Method + " " + q.Address + " in " + q.Application
	}
	if len(paths) == 0 && e.More { // so many ways that none of them was listed
		return e.Reason.Sentence()
	}
	switch e.Reason {
	case access.Granted:
		return fmt.Sprintf("%s may %s, %s.", who, what, by(v, paths[0]))
	case access.NotYet:
		return fmt.Sprintf("%s may not %s yet: held from %s, %s.", who, what, day(v, paths[0].From), by(v, paths[0]))
	case access.Ended:
		return fmt.Sprintf("%s may no longer %s: held until %s, %s.", who, what, day(v, paths[0].Until), by(v, paths[0]))
	case access.NotOwner:
		return fmt.Sprintf("%s may %s only where it is their own, %s.", who, what, by(v, paths[0]))
	case access.OutsideSchedule:
		return fmt.Sprintf("%s may not %s now: held %s, %s.", who, what, step(paths[0], "role").Schedule.Words, by(v, paths[0]))
	case access.OutOfScope:
		var scopes []string
		for _, s := range step(paths[0], "role").Scopes {
			scopes = append(scopes, s.Pattern+" of "+s.Application.Label)
		}
		return fmt.Sprintf("%s may not %s: held only within %s, %s.", who, what, strings.Join(scopes, " or "), by(v, paths[0]))
	case access.Fenced:
		return fmt.Sprintf("%s may not %s: it is fenced%s; %s is written for something wider.", who, what, fenceWords(v, q), strings.TrimPrefix(by(v, paths[0]), "by "))
	case access.Rehearsal:
		live := e
		live.Reason = e.Live
		why := sentence(v, q, live, paths)
		if _, short, ok := strings.Cut(why, ": "); ok {
			why = ": " + short
		} else {
			why = ". " + why
		}
		return fmt.Sprintf("%s may %s only because the application rehearses: once it is live, this is denied%s", who, what, why)
	case access.NoGrant:
		return fmt.Sprintf("%s may not %s: no role held gives it.", who, what)
	case access.UserInactive:
		return fmt.Sprintf("%s may do nothing now: %s.", who, whyInactive(v, e.User, calendar.At(v.At.Time())))
	case access.ApplicationUnknown, access.UserUnknown:
		kind, given := fact.FactApplication, q.Application
		if e.Reason == access.UserUnknown {
			kind, given = fact.FactUser, q.User
		}
		return v.Missing(kind, given).Detail
	}
	why := e.Reason.Sentence()
	return fmt.Sprintf("%s may not %s: %s", who, what, strings.ToLower(why[:1])+why[1:])
}

func whyInactive(v *seeing.View, id fact.UserID, at calendar.Instant) string {
	u := v.Uncut().User(id)
	today := calendar.DateOf(at.Time().In(v.Zone()))
	switch {
	case u == nil:
		return "not in the register"
	case u.Status != fact.Active:
		return "the account is " + string(u.Status)
	case u.Start > today:
		return "the start date is " + u.Start.String()
	case v.Uncut().Away(id, at):
		return "they are absent"
	case v.Uncut().IsClosed(u) && (u.End == 0 || u.End >= today):
		return "their access is closed, and not opened now"
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
func fenceWords(v *seeing.View, q wire.CheckRequest) string {
	app, _ := v.Uncut().FindApplication(q.Application)
	for _, f := range v.Uncut().Fences(app) {
		if patterns.Covers(f.Pattern, q.Path) {
			if f.Reason != "" {
				return " by " + f.Pattern + " (" + f.Reason + ")"
			}
			return " by " + f.Pattern
		}
	}
	return ""
}

func by(v *seeing.View, p wire.Path) string {
	steps := p.Steps
	at := slices.IndexFunc(steps, func(s wire.Step) bool { return s.Kind == "role" })
	by := "by the role " + steps[at].Label
	if at > 1 {
		by += " through the group " + steps[at-1].Label
	}
	return by
}

func day(v *seeing.View, t *time.Time) string {
	if t == nil {
		return "another time"
	}
	return t.In(v.Zone()).Format("2 January 2006 15:04")
}

// Menu is what a user may do in one application now.
func Menu(v *seeing.View, user, application string, nobody bool) (wire.Menu, error) {
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
		return wire.Menu{}, seeing.Invalid("the question cannot be asked", faults...)
	}
	id, known := v.Uncut().FindUser(user)
	app, ok := v.Uncut().FindApplication(application)
	decides := ok && v.Decides(app)
	switch {
	case user != "" && (!known || !decides && !v.ReadsUser(id)):
		return wire.Menu{}, v.Missing(fact.FactUser, user)
	case !ok || !decides && !v.ReadsApplication(app) && id != v.Caller.User:
		return wire.Menu{}, v.Missing(fact.FactApplication, application)
	}
	a := v.Uncut().Application(app)
	out := wire.Menu{Basis: v.Basis(), Application: a.Key, Actions: map[string][]wire.MenuPart{}}
	for _, x := range a.Actions {
		parts := []wire.MenuPart{}
		all, own := query.Menu(v.Uncut(), id, app, x.Key, v.At)
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
func Grid(v *seeing.View, application string, q lists.UserSearch, wouldBe *fact.User) (wire.Grid, error) {
	app, ok := v.Uncut().FindApplication(application)
	if !ok || !v.ReadsApplication(app) {
		return wire.Grid{}, v.Missing(fact.FactApplication, application)
	}
	page, err := lists.FindUsers(v, q)
	if err != nil {
		return wire.Grid{}, err
	}
	out := wire.Grid{Basis: v.Basis(), Application: v.ApplicationRef(app, false), Total: page.Total, Next: page.Next,
		Columns: []wire.GridColumn{}, Rows: []wire.GridRow{}}
	for _, r := range lists.ResourcesOf(v, app) {
		if r.Retired {
			continue
		}
		for _, a := range v.Uncut().Application(app).Actions {
			out.Columns = append(out.Columns, wire.GridColumn{Path: r.Path, Label: r.Label, Action: a.Key})
		}
	}
	if q.Cursor == "" {
		out.Rows = append(out.Rows, wire.GridRow{Kind: "nobody", User: wire.Ref{Label: "Nobody signed in"},
			Cells: cells(v, 0, app, out.Columns)})
	}
	if wouldBe != nil && q.Cursor == "" {
		w, id, err := lists.WouldBe(v, *wouldBe)
		if err != nil {
			return out, err
		}
		out.Rows = append(out.Rows, wire.GridRow{Kind: "would_be", User: wire.Ref{Label: "A would-be user"}, Cells: cells(w, id, app, out.Columns)})
	}
	for _, u := range page.Users {
		out.Rows = append(out.Rows, wire.GridRow{Kind: "user", User: v.UserRef(u.ID), Cells: cells(v, u.ID, app, out.Columns)})
	}
	return out, nil
}

func cells(v *seeing.View, id fact.UserID, app fact.ApplicationID, columns []wire.GridColumn) []wire.GridCell {
	targets := make([]query.Target, len(columns))
	for i, col := range columns {
		targets[i] = query.Target{Action: col.Action, Path: col.Path}
	}
	out := make([]wire.GridCell, len(columns))
	for i, c := range query.Cells(v.Uncut(), id, app, v.At, targets) {
		out[i] = wire.GridCell{Own: c.Own, Scheduled: c.Schedule, Fenced: c.Fenced, Until: seeing.Instant(c.Until)}
		if c.Chain != nil {
			out[i].Mark = v.Through(*c.Chain)
		}
	}
	return out
}
