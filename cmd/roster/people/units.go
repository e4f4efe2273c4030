package people

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("units list", "[-role ROLE]", "the organisation's units, with who leads them and how many are in each", UnitsList)
	command.Add("units add", "UNIT [-label TEXT] [-head USER] [-set KEY=VALUE…]", "add a unit below one that is there, or at the top", UnitsAdd)
	command.Add("units change", "UNIT [-label TEXT] [-head USER] [-set KEY=VALUE…]", "edit what a unit is called, who leads it, or its attributes", UnitsChange)
	command.Add("units move", "UNIT TO", "move or rename a unit, with its people, its groups and the units below it", UnitsMove)
	command.Add("units merge", "UNIT INTO", "merge a unit into another one", UnitsMerge)
	command.Add("units end", "UNIT", "end a unit that nobody is in any more", UnitsEnd)
	command.Add("units adopt", "", "make units of the free texts that people and groups have for one", UnitsAdopt)
}

func UnitsList(c *command.Call) error {
	c.Reads()
	role := c.Flags.String("role", "", "count how many hold this role, too")
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	q["role"] = *role
	all, err := c.Client.Units(c.Ctx, q)
	if err != nil {
		return err
	}
	header, declared := []string{"unit", "label", "head", "users"}, map[string]bool{}
	for _, u := range all.Units {
		for key := range u.Custom {
			declared[key] = true
		}
	}
	keys := slices.Sorted(maps.Keys(declared))
	if *role != "" {
		header = append(header, "holders")
	}
	header = append(header, keys...)
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
		for _, key := range keys {
			row = append(row, u.Custom[key])
		}
		rows = append(rows, row)
	}
	c.Table(all, header, rows)
	switch {
	case len(rows) == 0:
		c.Say("There are no units that you may see%s. roster units add adds one.", c.AsOfWords(all.Basis))
	case !all.Described:
		c.Say("These are free texts, and a mistyped one is another unit. roster units adopt makes units of them.")
	}
	return nil
}

func UnitsAdd(c *command.Call) error {
	o := c.Operation("add_unit", "path")
	give := setFlags(c)
	change := c.Changes()
	if err := c.Parse("UNIT"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"path": c.Args[0]})
	if err := give(op); err != nil {
		return err
	}
	return change.Make(c, op)
}

func UnitsChange(c *command.Call) error {
	o := c.Operation("update_unit", "unit")
	give := setFlags(c)
	change := c.Changes()
	if err := c.Parse("UNIT"); err != nil {
		return err
	}
	op, some := o.With(map[string]any{"unit": c.Args[0]})
	if err := give(op); err != nil {
		return err
	}
	if !some && op["custom"] == nil {
		return command.WrongUse("says nothing to change; give -label, -head or -set")
	}
	return change.Make(c, op)
}

func UnitsMove(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("UNIT", "TO"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "move_unit", "unit": c.Args[0], "to": c.Args[1]})
}

func UnitsMerge(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("UNIT", "INTO"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "merge_unit", "unit": c.Args[0], "into": c.Args[1]})
}

func UnitsEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("UNIT"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_unit", "unit": c.Args[0]})
}

func UnitsAdopt(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse(); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "adopt_units"})
}

// newUnit lets a command make the unit that it names.
func newUnit(c *command.Call) (before func(op map[string]any) ([]map[string]any, error)) {
	is := c.Flags.Bool("new-unit", false, "the unit is a new one: add it, and those above it, in the same change")
	return func(op map[string]any) ([]map[string]any, error) {
		unit, _ := op["unit"].(string)
		if !*is {
			return nil, nil
		}
		if unit == "" {
			return nil, command.WrongUse("-new-unit goes with -unit UNIT")
		}
		all, err := c.Client.Units(c.Ctx, nil)
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
