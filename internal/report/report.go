package report

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/wire"
)

// Head is what a report says of itself.
type Head struct {
	Organisation string
	Title        string
	Sub          string // beside the title
	Basis        wire.Basis
	Hash         string // of the revision; blank where the reader may not know it
	Outside      bool   // there may be more, outside what the reader may see
	Zone         *time.Location
}

// table is rows under heads, in a part of its own.
type table struct {
	Title string
	Note  string // in the place of rows, where there are none
	Heads []string
	Rows  [][]string
}

//go:embed report.html
var page string

var pages = template.Must(template.New("report").Parse(page))

func write(h Head, facts [][2]string, tables ...table) ([]byte, error) {
	var b bytes.Buffer
	err := pages.Execute(&b, struct {
		Head
		At     string
		Facts  [][2]string
		Tables []table
	}{h, h.Basis.At.In(h.Zone).Format("2 January 2006, 15:04:05 MST"), facts, tables})
	return b.Bytes(), err
}

// User is the report of what a user has, with why.
func User(h Head, u wire.UserDetail, a wire.Access) ([]byte, error) {
	h.Title, h.Sub = u.DisplayName, u.UserName
	facts := [][2]string{{"Status", u.Status}, {"Title", u.Title}, {"Unit", u.Unit}, {"Entitlements", fmt.Sprintf("%d in %d applications", a.Things, a.Applications)}}
	if u.Manager != nil {
		facts = append(facts, [2]string{"Manager", u.Manager.Label})
	}
	roles := table{Title: "Roles held directly", Note: "None.", Heads: []string{"Role", "Limits", "Given by", "On", "Why"}}
	for _, x := range u.Assignments {
		by, on, why := h.given(x.Given)
		roles.Rows = append(roles.Rows, []string{x.Role.Label, h.limits(x.From, x.Until, x.Scopes, x.Schedule), by, on, why})
	}
	groups := table{Title: "Groups", Note: "None.", Heads: []string{"Group", "How", "Limits"}}
	for _, m := range u.Groups {
		how := "listed"
		switch {
		case m.Through != nil:
			how = "through " + m.Through.Label
		case m.Rule != "":
			how = "chosen by the filter " + m.Rule
		case m.Default != nil:
			how = "by the default rule " + m.Default.Label
		}
		groups.Rows = append(groups.Rows, []string{m.Group.Label, how, h.limits(m.From, m.Until, nil, nil)})
	}
	access := table{Title: "Access", Note: "No access.", Heads: []string{"Application", "Actions", "Resource", "Limits", "Granted through"}}
	for _, l := range a.Lines {
		limits := h.limits(l.From, l.Until, nil, l.Schedule)
		if l.Own {
			limits = strings.Trim("only their own; "+limits, "; ")
		}
		var ways []string
		for _, p := range l.Paths {
			ways = append(ways, way(p))
		}
		access.Rows = append(access.Rows, []string{l.Application.Label, strings.Join(l.Actions, ", "), l.Pattern, limits, strings.Join(ways, "\n")})
	}
	return write(h, facts, roles, groups, access)
}

// Role is the report of who holds a role.
func Role(h Head, r wire.Role, holders []wire.Holder) ([]byte, error) {
	h.Title, h.Sub = r.Label, r.Key
	facts := [][2]string{{"What it is for", r.Description}, {"Risk", r.Risk}, {"Holders", fmt.Sprint(len(holders))}}
	if r.Owner != nil {
		facts = append(facts, [2]string{"Owner", r.Owner.Label})
	}
	gives := table{Title: "What it gives", Note: "Nothing.", Heads: []string{"Application", "Actions", "Resource", "By the role"}}
	for _, p := range r.Permissions {
		pattern := p.Pattern
		if p.Own {
			pattern += ", only their own"
		}
		gives.Rows = append(gives.Rows, []string{p.Application.Label, strings.Join(p.Actions, ", "), pattern, p.Role.Label})
	}
	held := table{Title: "Who holds it", Note: "Nobody.", Heads: []string{"User", "User name", "Until", "Granted through"}}
	for _, x := range holders {
		held.Rows = append(held.Rows, []string{x.User.Label, x.User.Key, h.limits(nil, x.Until, nil, nil), way(x.Path)})
	}
	return write(h, facts, gives, held)
}

// Revision is the report of what a revision did.
func Revision(h Head, r wire.Revision, effect []wire.Difference) ([]byte, error) {
	h.Title, h.Hash = fmt.Sprintf("Revision %d", r.Revision), r.Hash
	by := "the host"
	if r.By != nil {
		by = r.By.Label
	}
	through := r.Via
	if r.Account != nil {
		through = r.Account.Label
	}
	facts := [][2]string{{"Made by", by}, {"Through", through}, {"Why", r.Reason}, {"Reference", r.Reference}}
	what := table{Title: "What was done", Note: "Nothing you may see.", Heads: []string{"Operation"}}
	for _, s := range r.Sentences {
		what.Rows = append(what.Rows, []string{s})
	}
	did := table{Title: "Access gained and lost by it", Note: "Nobody gained or lost access.", Heads: []string{"User", "", "Entitlement", "Limits"}}
	for _, d := range effect {
		for _, x := range []struct {
			sign  string
			lines []wire.Entitlement
		}{{"gained", d.Gained}, {"lost", d.Lost}} {
			for _, e := range x.lines {
				did.Rows = append(did.Rows, []string{d.User.Label, x.sign, e.Action + " " + e.Target + " in " + e.Application.Label, h.limits(e.From, e.Until, nil, e.Schedule)})
			}
		}
	}
	return write(h, facts, what, did)
}

// limits says on what something is held, in words.
func (h Head) limits(from, until *time.Time, scopes []wire.Scope, schedule *wire.Schedule) string {
	var out []string
	if from != nil {
		out = append(out, "from "+calendar.FromWords(*from, h.Zone))
	}
	if until != nil {
		out = append(out, "until "+calendar.UntilWords(*until, h.Zone))
	}
	for _, s := range scopes {
		out = append(out, "within "+s.Pattern+" of "+s.Application.Label)
	}
	if schedule != nil {
		out = append(out, schedule.Words)
	}
	return strings.Join(out, "; ")
}

// given says who gave something, when and why.
func (h Head) given(g *wire.Given) (by, on, why string) {
	if g == nil {
		return "", "", ""
	}
	by = "the host"
	if g.By != nil {
		by = g.By.Label
	}
	if g.At.IsZero() {
		return by, "", ""
	}
	return by, calendar.FromWords(g.At, h.Zone), g.Reason
}

// way is a path as one line: what leads from the user to the permission.
func way(p wire.Path) string {
	var out []string
	for _, s := range p.Steps {
		switch s.Kind {
		case "group":
			out = append(out, "member of "+s.Label)
		case "role":
			out = append(out, "role "+s.Label)
		case "included_role":
			out = append(out, "which includes "+s.Label)
		}
	}
	if len(out) == 0 {
		return "directly"
	}
	return strings.Join(out, ", ")
}
