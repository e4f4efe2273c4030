package main

import (
	"strings"

	"ableroster/client"
)

func conflictsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Conflicts(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	broken := 0
	for _, x := range all.Conflicts {
		kind := "warn"
		switch {
		case x.Ended:
			kind = "ended"
		case x.Prevent:
			kind = "prevent"
		}
		if len(x.Breaches) == 0 {
			rows = append(rows, []string{x.Key, labels(x.Roles), kind, "nobody", ""})
		}
		for _, b := range x.Breaches {
			broken++
			var ways []string
			for _, p := range b.Paths {
				ways = append(ways, pathWords(p))
			}
			rows = append(rows, []string{x.Key, labels(x.Roles), kind, b.User.Label, strings.Join(ways, "; ")})
		}
	}
	c.table(all, []string{"conflict", "roles", "kind", "broken_by", "through"}, rows)
	switch {
	case len(rows) == 0:
		c.say("There are no conflicts%s. roster conflicts add writes one.", c.asOfWords(all.Stand))
	case broken > 0:
		c.say("%s in breach%s.", count(broken, "user"), c.asOfWords(all.Stand))
	}
	return nil
}

func conflictsAdd(c *call) error {
	label := c.flags.String("label", "", "what people call it")
	about := c.flags.String("about", "", "why nobody may combine them")
	prevent := c.flags.Bool("prevent", false, "refuse what would bring it about; else warn")
	var roles names
	c.flags.Var(&roles, "role", "a role; give two or more")
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "add_conflict", "key": c.args[0], "label": *label, "description": *about, "roles": []string(roles), "prevent": *prevent})
}

func conflictsEnd(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_conflict", "conflict": c.args[0]})
}
