package main

import (
	"encoding/json"
	"flag"
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
		rows = append(rows, []string{d.Key, d.Label, whom, labels(d.Roles), labels(d.Groups), count(d.UserCount, "user"), state})
	}
	c.table(all, []string{"key", "label", "for", "roles", "groups", "gives_to", "state"}, rows)
	if len(rows) == 0 {
		c.say("There are no default rules%s. roster defaults add writes one.", c.asOfWords(all.Basis))
	}
	return nil
}

func defaultsPreview(c *call) error {
	c.reads()
	u := map[string]*string{"unit": nil, "title": nil, "employment_type": nil, "location": nil, "kind": nil}
	for name, about := range map[string]string{"unit": "the unit, such as marine/pilotage", "title": "the title", "employment_type": "such as staff or contractor", "location": "the place of work", "kind": "person (default) or service"} {
		u[name] = c.flags.String(strings.ReplaceAll(name, "_type", ""), "", about)
	}
	if err := c.parse(); err != nil {
		return err
	}
	given := map[string]string{}
	for name, value := range u {
		if *value != "" {
			given[name] = *value
		}
	}
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

// gifts are the flags that say what a default rule gives, and to whom.
type gifts struct {
	label, about, where *string
	everybody           *bool
	roles, groups       names
}

func giftFlags(c *call) *gifts {
	g := &gifts{
		label:     c.flags.String("label", "", "what people call the rule"),
		about:     c.flags.String("about", "", "what it is for"),
		where:     c.flags.String("where", "", "a filter over users' facts: whom it gives to"),
		everybody: c.flags.Bool("everybody", false, "it gives to every person"),
	}
	c.flags.Var(&g.roles, "role", "a role it gives; may be given again")
	c.flags.Var(&g.groups, "group", "a group it puts into; may be given again")
	return g
}

// into writes what was said into an operation.
func (g *gifts) into(op map[string]any, flags *flag.FlagSet) map[string]any {
	said := map[string]any{"label": *g.label, "about": *g.about, "where": *g.where, "everybody": *g.everybody, "role": []string(g.roles), "group": []string(g.groups)}
	fields := map[string]string{"about": "description", "where": "filter", "role": "roles", "group": "groups"}
	flags.Visit(func(f *flag.Flag) {
		if v, ok := said[f.Name]; ok {
			op[first(fields[f.Name], f.Name)] = v
		}
	})
	return op
}

func defaultsAdd(c *call) error {
	g := giftFlags(c)
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, g.into(map[string]any{"op": "add_default", "key": c.args[0]}, c.flags))
}

func defaultsChange(c *call) error {
	g := giftFlags(c)
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op := g.into(map[string]any{"op": "update_default", "default": c.args[0]}, c.flags)
	if op["filter"] != nil && op["everybody"] == nil { // one takes the place of the other
		op["everybody"] = false
	}
	if op["everybody"] == true && op["filter"] == nil {
		op["filter"] = ""
	}
	return change.make(c, op)
}

func defaultsEnd(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_default", "default": c.args[0]})
}
