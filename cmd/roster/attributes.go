package main

import (
	"strconv"
	"strings"

	"ableroster/client"
)

func attributesList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Attributes(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, a := range all.Attributes {
		kind := "fact"
		if a.Personal {
			kind = "personal"
		}
		var says []string
		for _, x := range []struct {
			so   bool
			word string
		}{{a.Retired, "retired"}, {a.Required, "required"}, {a.CaseExact, "with case"}, {a.Pattern != "", "matches " + a.Pattern}, {len(a.Allowed) > 0, "one of " + strings.Join(a.Allowed, ", ")}} {
			if x.so {
				says = append(says, x.word)
			}
		}
		if a.Fill != nil {
			says = append(says, "filled in "+a.Fill.Words)
		}
		rows = append(rows, []string{a.Key, a.Label, a.Type, kind, strings.Join(says, "; "), strconv.Itoa(a.Having), strconv.Itoa(a.Lacking)})
	}
	c.table(all, []string{"attribute", "label", "type", "kind", "rule", "having", "lacking"}, rows)
	if len(rows) == 0 {
		c.say("No attribute is declared%s. roster attributes declare does.", c.asOfWords(all.Basis))
	}
	return nil
}

// fillFlags are how an attribute fills itself in.
func fillFlags(c *call) (give func(op map[string]any) error) {
	var units names
	c.flags.Var(&units, "fill-unit", "fills itself in: UNIT=VALUE for whoever is in the unit or below it; may be given again")
	date := c.flags.String("fill-date", "", "fills itself in from start_date or end_date")
	months := c.flags.Int("months", 0, "with -fill-date: so many months later, or earlier when negative")
	return func(op map[string]any) error {
		switch {
		case len(units) > 0 && *date != "":
			return &usageError{"an attribute is filled in from the unit or from a date, not from both"}
		case len(units) > 0:
			var table []map[string]string
			for _, u := range units {
				unit, value, ok := strings.Cut(u, "=")
				if !ok {
					return &usageError{"-fill-unit is UNIT=VALUE, such as marine/pilotage=4711"}
				}
				table = append(table, map[string]string{"unit": unit, "value": value})
			}
			op["fill"] = map[string]any{"from": "unit", "units": table}
		case *date != "":
			op["fill"] = map[string]any{"from": *date, "months": *months}
		}
		return nil
	}
}

func attributesDeclare(c *call) error {
	return attributeSays(c, c.operation("declare_attribute", "key"), "key")
}

func attributesChange(c *call) error {
	return attributeSays(c, c.operation("update_attribute", "attribute"), "attribute")
}

func attributeSays(c *call, o *operation, key string) error {
	give := fillFlags(c)
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{key: c.args[0]})
	if err := give(op); err != nil {
		return err
	}
	if len(op) == 2 && key == "attribute" {
		return &usageError{"says nothing to change; give -label, -required, -allow …"}
	}
	return change.make(c, op)
}

func attributesRetire(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "retire_attribute", "attribute": c.args[0]})
}
