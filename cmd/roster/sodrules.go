package main

import (
	"strings"

	"ableroster/client"
)

func sodRulesList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.SoDRules(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	broken := 0
	for _, x := range all.SoDRules {
		kind := "warn"
		switch {
		case x.Ended:
			kind = "ended"
		case x.Prevent:
			kind = "prevent"
		}
		if len(x.Violations) == 0 {
			rows = append(rows, []string{x.Key, labels(x.Roles), kind, "nobody", ""})
		}
		for _, b := range x.Violations {
			broken++
			var ways []string
			for _, p := range b.Paths {
				ways = append(ways, pathWords(p))
			}
			rows = append(rows, []string{x.Key, labels(x.Roles), kind, b.User.Label, strings.Join(ways, "; ")})
		}
	}
	c.table(all, []string{"sod_rule", "roles", "kind", "broken_by", "granted_through"}, rows)
	switch {
	case len(rows) == 0:
		c.say("There are no SoD rules%s. roster sod-rules add adds one.", c.asOfWords(all.Basis))
	case broken > 0:
		c.say("%s with violations%s.", count(broken, "user"), c.asOfWords(all.Basis))
	}
	return nil
}

func sodRulesAdd(c *call) error {
	o := c.operation("add_sod_rule", "key")
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"key": c.args[0]})
	return change.make(c, op)
}

func sodRulesEnd(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_sod_rule", "sod_rule": c.args[0]})
}
