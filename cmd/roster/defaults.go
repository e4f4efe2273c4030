package main

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

func labels(refs []wire.Ref) string {
	var out []string
	for _, r := range refs {
		out = append(out, r.Label)
	}
	return strings.Join(out, ", ")
}

func defaultsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Defaults(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, d := range all.Defaults {
		whom := d.Filter
		if d.Everybody {
			whom = "everybody"
		}
		state := "in force"
		if d.Ended {
			state = "ended"
		}
		owner := ""
		if d.Owner != nil {
			owner = d.Owner.Label
		}
		rows = append(rows, []string{strconv.Itoa(d.Order), d.Key, d.Label, whom, labels(d.Roles), labels(d.Groups), c.ruleWords(d), owner, count(d.UserCount, "user"), state})
	}
	c.table(all, []string{"order", "key", "label", "for", "roles", "groups", "limits", "owner", "gives_to", "state"}, rows)
	if len(rows) == 0 {
		c.say("There are no default rules%s. roster defaults add writes one.", c.asOfWords(all.Basis))
	}
	return nil
}

// ruleWords are what limits a default rule, in words.
func (c *call) ruleWords(d wire.Default) string {
	var out []string
	for _, s := range d.Scopes {
		out = append(out, "within "+s.Pattern+" of "+s.Application.Label)
	}
	if w := c.window(d.From, d.Until); w != "" {
		out = append(out, w)
	}
	for _, x := range []struct {
		days int
		said string
	}{{d.AfterDays, "from %s after the first day"}, {d.LastsDays, "for %s"}, {d.OverlapDays, "%s longer after a move"}} {
		if x.days > 0 {
			out = append(out, fmt.Sprintf(x.said, count(x.days, "day")))
		}
	}
	if d.Final {
		out = append(out, "no later rule gives to the same users")
	}
	return strings.Join(out, ", ")
}

func defaultsPreview(c *call) error {
	c.reads()
	o := c.operation("add_user", "user_name", "display_name", "email", "status", "manager")
	if err := c.parse(); err != nil {
		return err
	}
	given, _ := o.with(nil)
	delete(given, "op")
	raw, _ := json.Marshal(given)
	q, err := c.at(client.Query{"would_be": string(raw)})
	if err != nil {
		return err
	}
	day, err := c.client.NewUserPreview(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range day.Roles {
		rows = append(rows, []string{r.Role.Key, r.Role.Label, pathWords(r.Path)})
	}
	c.table(day, []string{"role", "label", "because"}, rows)
	switch {
	case len(rows) == 0:
		c.say("A new user like that would have no role%s.", c.asOfWords(day.Basis))
	case c.people():
		c.say("")
		for _, l := range day.Lines {
			c.say("  %s: %s %s", l.Application.Label, strings.Join(l.Actions, ", "), l.Pattern)
		}
		c.say("That is what a new user with these attributes would have on their first day%s.", c.asOfWords(day.Basis))
	}
	return nil
}

// pathWords says a way to a role in words, from the user on.
func pathWords(p wire.Path) string {
	var out []string
	for i, s := range p.Steps {
		switch {
		case i == 0:
		case s.Default != nil && s.Kind == "group":
			out = append(out, "group "+s.Label+" by the default rule "+s.Default.Label)
		case s.Default != nil:
			out = append(out, "by the default rule "+s.Default.Label)
		case s.Kind == "group" && s.Rule != "":
			out = append(out, "group "+s.Label+", which chooses "+s.Rule)
		case s.Kind == "group":
			out = append(out, "group "+s.Label)
		case s.Kind == "role" && i < len(p.Steps)-1:
			out = append(out, "includes: role "+s.Label)
		}
	}
	if len(out) == 0 {
		return "given directly"
	}
	return strings.Join(out, ", ")
}

func defaultsAdd(c *call) error {
	o := c.operation("add_default", "key", "from", "until")
	limited := c.ruleLimits()
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"key": c.args[0]})
	if err := limited(op); err != nil {
		return err
	}
	return change.make(c, op)
}

func defaultsChange(c *call) error {
	o := c.operation("update_default", "default", "from", "until")
	limited := c.ruleLimits()
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"default": c.args[0]})
	if err := limited(op); err != nil {
		return err
	}
	if op["filter"] != nil && op["everybody"] == nil { // one takes the place of the other
		op["everybody"] = false
	}
	if op["everybody"] == true && op["filter"] == nil {
		op["filter"] = ""
	}
	return change.make(c, op)
}

// ruleLimits are the options that say when a rule gives, and within what.
func (c *call) ruleLimits() func(op map[string]any) error {
	var within names
	c.flags.Var(&within, "within", "its roles give only what APPLICATION:PATTERN covers; {unit} or another attribute in braces stands for the user's value; may be given again")
	from := c.flags.String("from", "", "a day or an instant from which it gives")
	until := c.flags.String("until", "", "the last day on which it gives, or an instant")
	return func(op map[string]any) error {
		if err := c.times(op, *from, *until); err != nil {
			return err
		}
		return limits(op, within, "")
	}
}

func defaultsEnd(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_default", "default": c.args[0]})
}
