package main

import (
	"fmt"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

func today(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	t, err := c.client.Today(c.ctx)
	if err != nil {
		return err
	}
	pending, err := c.client.PendingChanges(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, part := range []struct {
		what string
		all  []wire.Request
	}{{"to decide", t.ToDecide}, {"your own", t.Mine}, {"waits for nobody", t.Stuck}} {
		for _, r := range part.all {
			rows = append(rows, append([]string{part.what}, requestRow(r)...))
		}
	}
	for _, r := range t.Reviews {
		rows = append(rows, []string{"to review", r.Key, "", "", count(r.Items, "item"), "", r.Label})
	}
	for _, p := range pending.ToMake {
		rows = append(rows, []string{"pending change", p.ID, "", "", "", p.Author.Label, first(p.Sentences...)})
	}
	for _, e := range t.Ending {
		rows = append(rows, []string{"ends soon", "", e.Role.Label, "you", "until " + calendar.UntilWords(e.Until, c.zone()), "", ""})
	}
	c.table(t, append([]string{"what"}, requestHeader...), rows)
	if len(rows) == 0 {
		c.say("Nothing waits for you.")
	}
	return nil
}

var requestHeader = []string{"request", "role", "for", "state", "waits_for", "why"}

func requestRow(r wire.Request) []string {
	waits := ""
	for _, s := range r.Steps {
		if s.State == "current" {
			waits = s.Words
			if len(s.Deciders) == 0 {
				waits += " (nobody)"
			} else if len(s.Deciders) <= 3 {
				waits = labels(s.Deciders)
			}
		}
	}
	why := ""
	if r.Asked != nil {
		why = r.Asked.Reason
	}
	return []string{r.ID, r.Role.Label, r.Beneficiary.Label, r.State, waits, why}
}

func catalogueList(c *call) error {
	who := c.flags.String("for", "", "one of your people, by user name")
	if err := c.parseSome(0, "TEXT"); err != nil {
		return err
	}
	q := client.Query{"user": *who}
	if len(c.args) > 0 {
		q["q"] = c.args[0]
	}
	all, err := c.client.Catalogue(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, o := range all.Roles {
		state := ""
		switch {
		case o.Held:
			state = "held already"
		case o.Waiting != "":
			state = "requested, " + o.Waiting
		}
		atMost := "no end"
		if o.MaxDays > 0 {
			atMost = count(o.MaxDays, "day")
		}
		rows = append(rows, []string{o.Words, first(o.Role.Key, o.Role.Label), atMost, strings.Join(o.Steps, ", then "), state})
	}
	c.table(all, []string{"to", "role", "for_at_most", "approved_by", "state"}, rows)
	if len(rows) == 0 {
		c.say("No requestable role matches. roster catalogue list without a text shows all of them.")
	}
	return nil
}

func requestAccess(c *call) error {
	c.unchanged = "No access changes until it is approved."
	who := c.flags.String("for", "", "one of your people, by user name")
	from := c.flags.String("from", "", "a day or an instant from which it shall hold")
	until := c.flags.String("until", "", "the last day, or an instant until which it shall hold")
	var within names
	c.flags.Var(&within, "within", "only what a pattern covers, as application:pattern; may be given again")
	change := c.changes()
	if err := c.parse("ROLE"); err != nil {
		return err
	}
	op := map[string]any{"op": "request_role", "role": c.args[0]}
	if *who != "" {
		op["user"] = *who
	}
	if err := limits(op, within, ""); err != nil {
		return err
	}
	if err := c.times(op, *from, *until); err != nil {
		return err
	}
	return change.make(c, op)
}

// day says an instant in the terminal's time zone.
func (c *call) day(t *time.Time) string { return t.In(c.zone()).Format("2 Jan 2006") }

// times writes the window of an operation.
func (c *call) times(op map[string]any, from, until string) error {
	for field, value := range map[string]string{"from": from, "until": until} {
		t, err := c.instant(field, value)
		if err != nil {
			return err
		}
		if t != "" {
			op[field] = t
		}
	}
	return nil
}

func requests(c *call) error {
	c.reads()
	waiting := c.flags.Bool("waiting", false, "only those that wait")
	mine := c.flags.Bool("mine", false, "only your own")
	decide := c.flags.Bool("to-decide", false, "only those that wait for you")
	who := c.flags.String("user", "", "only those for this user")
	role := c.flags.String("role", "", "only those of this role")
	limit := c.flags.Int("limit", 50, "at most so many")
	if err := c.parse(); err != nil {
		return err
	}
	q, err := c.at(client.Query{"user": *who, "role": *role, "limit": fmt.Sprint(*limit)})
	if err != nil {
		return err
	}
	if *waiting {
		q["state"] = "waiting"
	}
	if *mine {
		q["mine"] = "true"
	}
	if *decide {
		q["decide"] = "true"
	}
	all, err := c.client.Requests(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Requests {
		rows = append(rows, requestRow(r))
	}
	c.table(all, requestHeader, rows)
	if len(rows) == 0 {
		c.say("There is no such request%s.", c.asOfWords(all.Basis))
	}
	return nil
}

func requestsShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "REQUEST")
	if err != nil {
		return err
	}
	r, err := c.client.Request(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, s := range r.Steps {
		said := labels(s.Deciders)
		if s.State == "current" && said == "" {
			said = "nobody"
		}
		var why string
		for _, d := range s.Decisions {
			choice := "refused"
			if d.Approves {
				choice = "approved"
			}
			if d.Less {
				choice += " for less"
			}
			if d.Given.By != nil {
				said = d.Given.By.Label + " " + choice
			}
			why = d.Given.Reason
		}
		rows = append(rows, []string{s.Words, s.State, said, why})
	}
	if c.people() {
		end := "no end"
		if r.Until != nil {
			end = "until " + calendar.UntilWords(*r.Until, c.zone())
		}
		c.say("%s: %s for %s, %s, %s.", r.ID, r.Role.Label, r.Beneficiary.Label, end, r.State)
		if r.Asked != nil && r.Asked.Reason != "" {
			c.say("  because: %s", r.Asked.Reason)
		}
		for _, g := range r.Gains {
			c.say("  would give %s %s in %s", g.Action, g.Target, g.Application.Label)
		}
		for _, x := range r.Grown {
			c.say("  since the request, the role has come to give: %s", x)
		}
		for _, x := range r.SoDRules {
			c.say("  would break %s", x)
		}
	}
	c.table(r, []string{"step", "state", "who", "why"}, rows)
	return nil
}

func decide(c *call) error {
	from := c.flags.String("from", "", "for less: not before this day or instant")
	until := c.flags.String("until", "", "for less: the last day, or an instant until which it shall hold")
	var within names
	c.flags.Var(&within, "within", "for less: only what a pattern covers, as application:pattern; may be given again")
	change := c.changes()
	if err := c.parse("REQUEST", "DECISION"); err != nil {
		return err
	}
	if c.args[1] != "approve" && c.args[1] != "refuse" {
		return &usageError{fmt.Sprintf("“%s” is neither approve nor refuse", c.args[1])}
	}
	op := map[string]any{"op": "decide_request", "request": c.args[0], "decision": c.args[1]}
	if err := limits(op, within, ""); err != nil {
		return err
	}
	if err := c.times(op, *from, *until); err != nil {
		return err
	}
	return change.make(c, op)
}

func withdraw(c *call) error {
	change := c.changes()
	if err := c.parse("REQUEST"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "withdraw_request", "request": c.args[0]})
}

func routesList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Routes(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Routes {
		rows = append(rows, []string{r.Key, r.Label, strings.Join(r.Steps, ", then "), count(r.Roles, "role")})
	}
	c.table(all, []string{"key", "label", "steps", "asked_by"}, rows)
	return nil
}

func routesSet(c *call) error {
	label := c.flags.String("label", "", "what people call it")
	change := c.changes()
	if err := c.parseSome(2, "KEY", "STEP", "STEP", "STEP", "STEP", "STEP"); err != nil {
		return err
	}
	var steps []map[string]any
	for _, s := range c.args[1:] {
		kind, name, _ := strings.Cut(s, ":")
		switch {
		case (kind == "manager" || kind == "unit_head" || kind == "owner") && name == "":
			steps = append(steps, map[string]any{"whose": kind})
		case (kind == "group" || kind == "all") && name != "":
			steps = append(steps, map[string]any{"whose": "group", "group": name, "all": kind == "all"})
		case kind == "user" && name != "":
			steps = append(steps, map[string]any{"whose": "users", "users": strings.Split(name, ",")})
		default:
			return &usageError{fmt.Sprintf("“%s” is no step: say manager, unit_head, owner, group:KEY, all:KEY or user:NAME,NAME", s)}
		}
	}
	op := map[string]any{"op": "set_route", "key": c.args[0], "steps": steps}
	if *label != "" {
		op["label"] = *label
	}
	return change.make(c, op)
}

func catalogueAdd(c *call) error {
	days := c.flags.Int("max-days", 0, "days it is given for at most; 0: without end")
	change := c.changes()
	if err := c.parse("ROLE", "ROUTE", "WORDS"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "make_requestable", "role": c.args[0], "route": c.args[1], "words": c.args[2], "max_days": *days})
}

func catalogueRemove(c *call) error {
	change := c.changes()
	if err := c.parse("ROLE"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_requestable", "role": c.args[0]})
}
