package seeing

import (
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/wire"
)

// Path draws a chain as its steps from the user to the permission.
func (v *View) Path(user fact.UserID, c query.Chain) wire.Path {
	// Whoever looks at their own access, or reviews somebody's, sees what gives it.
	own := user != 0 && (user == v.Caller.User || v.Known[user])
	out := wire.Path{From: Instant(c.Window.From), Until: Instant(c.Window.Until), Fails: string(c.Fails)}
	if user == 0 {
		out.Steps = append(out.Steps, wire.Step{Kind: "nobody", Ref: wire.Ref{Label: "Nobody signed in"}})
	} else {
		out.Steps = append(out.Steps, wire.Step{Kind: "user", Ref: v.UserRef(user)})
	}
	if c.BuiltIn != 0 {
		out.Steps = append(out.Steps, wire.Step{Kind: "group", Ref: v.GroupRef(c.BuiltIn, own)})
	}
	if c.Rule != 0 {
		step := wire.Step{Kind: "group", Ref: v.GroupRef(c.Rule, own)}
		if g := v.snapshot.Group(c.Rule); g != nil && !step.Outside {
			step.Rule = g.Filter
		}
		out.Steps = append(out.Steps, step)
	}
	for _, m := range c.Memberships {
		f := v.snapshot.Membership(m)
		out.Steps = append(out.Steps, wire.Step{Kind: "group", Ref: v.GroupRef(f.Group, own), Default: v.DefaultRef(f.Rule),
			From: Instant(f.Window.From), Until: Instant(f.Window.Until), Given: &wire.Given{Revision: f.Opened}})
	}
	a := v.snapshot.Assignment(c.Assignment)
	for i, r := range c.Roles {
		step := wire.Step{Kind: "included_role", Ref: v.RoleRef(r, own)}
		if i == 0 {
			step.Kind, step.Assignment, step.Origin, step.Default = "role", a.ID.String(), string(a.Origin), v.DefaultRef(a.Rule)
			step.From, step.Until = Instant(a.Window.From), Instant(a.Window.Until)
			step.Given = &wire.Given{Revision: a.Opened}
			step.Scopes, step.Schedule = v.Scopes(a.Scopes), Schedule(a.Schedule)
		}
		out.Steps = append(out.Steps, step)
	}
	if c.Permission == 0 { // a way to a role
		return out
	}
	p := v.snapshot.Permission(c.Permission)
	app := v.ApplicationRef(p.Application, true)
	out.Steps = append(out.Steps, wire.Step{Kind: "permission", Ref: wire.Ref{ID: p.ID.String(), Label: p.Pattern},
		Application: &app, Actions: p.Actions, Pattern: p.Pattern, Own: p.Own})
	return out
}

// Through is how a chain gives: the mark of a line or a cell.
func (v *View) Through(c query.Chain) string {
	switch {
	case v.snapshot.Assignment(c.Assignment).Rule != 0,
		len(c.Memberships) > 0 && v.snapshot.Membership(c.Memberships[0]).Rule != 0:
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

// Soon is how far ahead an end is worth pointing out.
const Soon = 14 * 24 * time.Hour

// VisitPaths calls a function for each step of paths that somebody gave.
func VisitPaths(paths []wire.Path, g Giving) {
	for i := range paths {
		for j := range paths[i].Steps {
			g(&paths[i].Steps[j].Given)
		}
	}
}
