package questions

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("check", "USER APPLICATION ACTION PATH", "check access, with the path or the nearest miss; - as USER is nobody signed in", Check)
	command.Add("access", "USER", "all a user can do, and through what", Access)
	command.Add("grid", "APPLICATION [-q TEXT] [-group GROUP]", "users × permissions of one application", Grid)
}

func Check(c *command.Call) error {
	c.Reads()
	at := c.Flags.String("at", "", "the instant to judge, by the present facts; now by default")
	owner := c.Flags.String("owner", "", "whose the resource is, by user name or id, for permissions on one's own")
	if err := c.Parse("USER", "APPLICATION", "ACTION", "PATH"); err != nil {
		return err
	}
	q := wire.CheckRequest{User: c.Args[0], Application: c.Args[1], Action: c.Args[2], Path: c.Args[3], Explain: true, Properties: wire.Properties{Owner: *owner}}
	if q.User == "-" {
		q.User, q.Nobody = "", true
	}
	when, err := c.Instant("at", *at)
	if err != nil {
		return err
	}
	if when != "" {
		t, err := time.Parse(time.RFC3339, when)
		if err != nil {
			return err
		}
		q.At = &t
	}
	day, err := c.At(client.Query{})
	if err != nil {
		return err
	}
	a, err := c.Client.CheckAsOf(c.Ctx, q, day)
	if err != nil {
		return err
	}
	word := "allowed"
	if !a.Allowed {
		word = "denied"
	}
	c.Answer(a, func() {
		c.Say("%s (%s): %s", word, a.Reason, a.Message)
		for _, p := range a.Paths {
			c.Say("  %s", pathSays(c, p))
		}
		if len(a.Cure) > 0 {
			c.Say("  would give it: %s", command.Refs(a.Cure))
		}
		for _, r := range a.Requestable {
			c.Say("  requestable: roster request %s", command.First(r.Key, r.Label))
		}
	}, []string{"answer", "reason", "message", "would_give_it"}, []string{word, a.Reason, a.Message, command.Keys(a.Cure)})
	if !a.Allowed {
		return command.ErrDenied
	}
	return nil
}

// pathWords is a path in one line.
func pathSays(c *command.Call, p wire.Path) string {
	var out []string
	for _, s := range p.Steps {
		text := s.Label
		switch s.Kind {
		case "group":
			text = "group " + s.Label
			if s.Rule != "" {
				text += " (chosen by " + s.Rule + ")"
			}
		case "role":
			text = "role " + s.Label
		case "included_role":
			text = "includes " + s.Label
		case "permission":
			text = strings.Join(s.Actions, ", ") + " " + s.Pattern
			if s.Own {
				text += ", their own"
			}
		}
		for _, x := range s.Scopes {
			text += " within " + x.Pattern
		}
		if s.Schedule != nil {
			text += " (" + s.Schedule.Words + ")"
		}
		if w := c.Window(s.From, s.Until); w != "" {
			text += " (" + w + ")"
		}
		out = append(out, text)
	}
	return strings.Join(out, " → ")
}

// ended says of what an account that has ended had that it holds no more.
func ended(is bool) string {
	if is {
		return ", ended with the account"
	}
	return ""
}

func Access(c *command.Call) error {
	c.Reads()
	why := c.Flags.Bool("why", false, "with every path, not only the shortest")
	q, err := c.Asked(client.Query{}, "USER")
	if err != nil {
		return err
	}
	a, err := c.Client.Access(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	c.Say("%s has %s in %s%s.", a.User.Label, command.Count(a.Things, "entitlement"), command.Count(a.Applications, "application"), c.AsOfWords(a.Basis))
	if !a.Effective {
		c.Say("The account does not count now: not active, absent, closed, or outside its start and end dates.")
	}
	var rows [][]string
	for _, l := range a.Lines {
		through := through(l.Paths[0])
		if !*why && len(l.Paths) > 1 && c.People() {
			through += fmt.Sprintf(" and %s", command.Count(len(l.Paths)-1, "other way"))
		}
		rows = append(rows, []string{l.Application.Label, strings.Join(l.Actions, ", "), l.Pattern, through, strings.TrimLeft(c.Conditions(l.Own, l.Schedule, l.From, l.Until, l.When)+ended(l.Ended)+except(l.Fences), ", ")})
		if *why && c.People() {
			for _, p := range l.Paths {
				rows = append(rows, []string{"", "", "", "  " + pathSays(c, p), ""})
			}
		}
	}
	if len(rows) > 0 || !c.People() {
		c.Table(a, []string{"application", "action", "resource", "granted_through", "when"}, rows)
	}
	return nil
}

func except(fences []string) string {
	if len(fences) == 0 {
		return ""
	}
	return ", fenced " + strings.Join(fences, ", ")
}

// through says in a few words how a path gives.
func through(p wire.Path) string {
	var group, role string
	for _, s := range p.Steps {
		switch s.Kind {
		case "group":
			group = s.Label
		case "role":
			role = s.Label
		}
	}
	if group != "" {
		return "group " + group + ", role " + role
	}
	return "role " + role + ", direct"
}

func Grid(c *command.Call) error {
	c.Reads()
	text := c.Flags.String("q", "", "text in the name, user name, title or e-mail")
	group := c.Flags.String("group", "", "members of this group, at any depth")
	unit := c.Flags.String("unit", "", "this unit and all below it")
	limit := c.Flags.Int("limit", 40, "at most so many users")
	where := c.Flags.String("where", "", "a filter over users, as for users list")
	newcomer := c.Flags.String("would-be", "", "also a would-be user, as \"unit=marine/pilotage,title=Harbour pilot,employment_type=staff\"")
	if err := c.Parse("APPLICATION"); err != nil {
		return err
	}
	if *limit < 1 || *limit > 500 {
		return command.WrongUse("-limit is 1 to 500")
	}
	wouldBe, err := described(*newcomer)
	if err != nil {
		return err
	}
	q, err := c.At(client.Query{"application": c.Args[0], "would_be": wouldBe, "q": *text, "group": *group, "unit": *unit, "filter": *where, "status": "active", "limit": fmt.Sprint(*limit)})
	if err != nil {
		return err
	}
	g, err := c.Client.Grid(c.Ctx, q)
	if err != nil {
		return err
	}
	letters := map[string]string{"direct": "D", "default": "F", "group": "G", "included": "I", "all-users": "A", "public": "P"}
	header := []string{"user"}
	for _, col := range g.Columns {
		header = append(header, col.Action+" "+col.Path)
	}
	var rows [][]string
	for _, r := range g.Rows {
		row := []string{r.User.Label}
		for _, cell := range r.Cells {
			mark := letters[cell.Mark]
			if c.Output == "csv" {
				mark = cell.Mark
			}
			if c.People() {
				if cell.Until != nil {
					mark += "~"
				}
				if cell.Own || cell.Scheduled {
					mark += "?"
				}
				if cell.Fenced {
					mark = "#"
				}
			}
			row = append(row, mark)
		}
		rows = append(rows, row)
	}
	if c.People() { // columns nobody has stay out of a terminal
		header, rows = narrow(c, g, rows)
	}
	c.Table(g, header, rows)
	defer c.More(g.Next)
	c.Say("D direct, F by default, G through a group, I through an included role, A all users, P public, ~ has an end, ? only their own or at some times, # fenced; %d of %s%s.",
		users(g.Rows), command.Count(g.Total, "user"), c.AsOfWords(g.Basis))
	return nil
}

// narrow numbers the columns and leaves out those that are blank throughout.
func narrow(c *command.Call, g wire.Grid, rows [][]string) ([]string, [][]string) {
	header := []string{"user"}
	out := make([][]string, len(rows))
	for i := range rows {
		out[i] = rows[i][:1:1]
	}
	for j, col := range g.Columns {
		any := false
		for _, r := range rows {
			any = any || r[j+1] != ""
		}
		if !any {
			continue
		}
		n := fmt.Sprint(len(header))
		c.Say("  %2s  %s %s", n, col.Action, col.Path)
		header = append(header, n)
		for i := range rows {
			out[i] = append(out[i], rows[i][j+1])
		}
	}
	return header, out
}

func users(rows []wire.GridRow) (n int) {
	for _, r := range rows {
		if r.Kind == "user" {
			n++
		}
	}
	return n
}

// described is what -would-be says of somebody, as JSON; blank for nobody.
func described(text string) (string, error) {
	by, err := command.Described(text)
	if err != nil || by == nil {
		return "", err
	}
	raw, err := json.Marshal(by)
	return string(raw), err
}
