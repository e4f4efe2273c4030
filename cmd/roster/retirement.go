package main

import (
	"encoding/json"

	"ableroster/wire"
)

func rolesRetire(c *call) error {
	replacement := c.flags.String("replacement", "", "a role that its holders get instead, on the same limits; whatever names the role names this one then")
	change := c.changes()
	if err := c.parse("ROLE"); err != nil {
		return err
	}
	if *replacement == "" {
		return change.make(c, map[string]any{"op": "retire_role", "role": c.args[0]})
	}
	x, err := c.client.RoleRetirement(c.ctx, c.args[0], *replacement)
	if err != nil {
		return err
	}
	return change.settle(c, x)
}

// settle makes what settles the ties of something that is retired.
func (x *changing) settle(c *call, r wire.Retirement) error {
	var ops []json.RawMessage
	for _, l := range r.Lines {
		ops = append(ops, l.Operations...)
	}
	if x.basedOn == 0 {
		x.basedOn = r.Revision
	}
	return x.send(c, ops)
}

func rolesRetirement(c *call) error {
	replacement := c.flags.String("replacement", "", "a role that its holders would get instead")
	if err := c.parse("ROLE"); err != nil {
		return err
	}
	x, err := c.client.RoleRetirement(c.ctx, c.args[0], *replacement)
	if err != nil {
		return err
	}
	c.ties(x, "roster roles retire "+c.args[0]+" -replacement ROLE gives its holders another role instead.")
	return nil
}

func applicationsRetirement(c *call) error {
	settle := c.flags.Bool("settle", false, "settle what can be settled, and retire it")
	change := c.changes()
	if err := c.parse("APPLICATION"); err != nil {
		return err
	}
	x, err := c.client.ApplicationRetirement(c.ctx, c.args[0])
	if err != nil {
		return err
	}
	if *settle {
		return change.settle(c, x)
	}
	c.ties(x, "roster applications retirement "+c.args[0]+" -settle settles what can be settled, and retires it.")
	return nil
}

// ties tells what hangs on something, and what next.
func (c *call) ties(x wire.Retirement, next string) {
	var rows [][]string
	for _, t := range x.Ties {
		rows = append(rows, []string{t.Kind, t.Thing.Label, t.Thing.Key, t.Words})
	}
	c.table(x, []string{"kind", "thing", "key", "how"}, rows)
	if !c.people() {
		return
	}
	if len(rows) == 0 {
		c.say("Nothing hangs on it.")
	} else {
		c.say("\n%s. %s", count(len(rows), "tie"), next)
	}
	if x.More {
		c.say("More hold it than one change takes: settle these first, and ask again.")
	}
	if x.Outside {
		c.say("There may be more, outside what you may see.")
	}
}
