package main

import (
	"strconv"
	"strings"

	"ableroster/client"
)

func unitsList(c *call) error {
	c.reads()
	role := c.flags.String("role", "", "count how many hold this role, too")
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	q["role"] = *role
	all, err := c.client.Units(c.ctx, q)
	if err != nil {
		return err
	}
	header := []string{"unit", "label", "head", "users"}
	if *role != "" {
		header = append(header, "holders")
	}
	var rows [][]string
	for _, u := range all.Units {
		head := ""
		switch {
		case u.Head != nil:
			head = u.Head.Label
		case u.LedBy != nil:
			head = "(" + u.LedBy.Label + ")"
		}
		row := []string{u.Path, u.Label, head, strconv.Itoa(u.Users)}
		if *role != "" {
			row = append(row, strconv.Itoa(u.Holders))
		}
		rows = append(rows, row)
	}
	c.table(all, header, rows)
	switch {
	case len(rows) == 0:
		c.say("There are no units that you may see%s. roster units add adds one.", c.asOfWords(all.Basis))
	case !all.Described:
		c.say("These are free texts, and a mistyped one is another unit. roster units adopt makes units of them.")
	}
	return nil
}

func unitsAdd(c *call) error {
	o := c.operation("add_unit", "path")
	change := c.changes()
	if err := c.parse("UNIT"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"path": c.args[0]})
	return change.make(c, op)
}

func unitsChange(c *call) error {
	o := c.operation("update_unit", "unit")
	change := c.changes()
	if err := c.parse("UNIT"); err != nil {
		return err
	}
	op, some := o.with(map[string]any{"unit": c.args[0]})
	if !some {
		return &usageError{"says nothing to change; give -label or -head"}
	}
	return change.make(c, op)
}

func unitsMove(c *call) error {
	change := c.changes()
	if err := c.parse("UNIT", "TO"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "move_unit", "unit": c.args[0], "to": c.args[1]})
}

func unitsMerge(c *call) error {
	change := c.changes()
	if err := c.parse("UNIT", "INTO"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "merge_unit", "unit": c.args[0], "into": c.args[1]})
}

func unitsEnd(c *call) error {
	change := c.changes()
	if err := c.parse("UNIT"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_unit", "unit": c.args[0]})
}

func unitsAdopt(c *call) error {
	change := c.changes()
	if err := c.parse(); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "adopt_units"})
}

// newUnit lets a command make the unit that it names.
func newUnit(c *call) (before func(op map[string]any) ([]map[string]any, error)) {
	is := c.flags.Bool("new-unit", false, "the unit is a new one: add it, and those above it, in the same change")
	return func(op map[string]any) ([]map[string]any, error) {
		unit, _ := op["unit"].(string)
		if !*is {
			return nil, nil
		}
		if unit == "" {
			return nil, &usageError{"-new-unit goes with -unit UNIT"}
		}
		all, err := c.client.Units(c.ctx, nil)
		if err != nil {
			return nil, err
		}
		there := map[string]bool{}
		for _, u := range all.Units {
			there[u.Path] = u.ID != ""
		}
		var ops []map[string]any
		parts := strings.Split(unit, "/")
		for i := range parts {
			if path := strings.Join(parts[:i+1], "/"); !there[path] {
				ops = append(ops, map[string]any{"op": "add_unit", "path": path})
			}
		}
		return ops, nil
	}
}
