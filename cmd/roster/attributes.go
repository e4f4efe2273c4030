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

// attributeFlags are what a declared attribute may be given and may change.
func attributeFlags(c *call) (give func(op map[string]any) error) {
	label := c.flags.String("label", "", "what people call it")
	about := c.flags.String("about", "", "what it is for")
	required := c.flags.Bool("required", false, "of every person who is added from now on; -required=false ends it")
	pattern := c.flags.String("pattern", "", "regular expression that a whole text must match")
	var allowed, units names
	c.flags.Var(&allowed, "allow", "a text there may be; may be given again")
	c.flags.Var(&units, "fill-unit", "fills itself in: UNIT=VALUE for whoever is in the unit or below it; may be given again")
	date := c.flags.String("fill-date", "", "fills itself in from start_date or end_date")
	months := c.flags.Int("months", 0, "with -fill-date: so many months later, or earlier when negative")
	return func(op map[string]any) error {
		for flag, give := range map[string]func(){
			"label": func() { op["label"] = *label }, "about": func() { op["description"] = *about },
			"required": func() { op["required"] = *required }, "pattern": func() { op["pattern"] = *pattern },
			"allow": func() { op["allowed"] = []string(allowed) },
		} {
			if c.given(flag) {
				give()
			}
		}
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
	kind := c.flags.String("type", "text", "text, number, date or truth")
	exact := c.flags.Bool("case-exact", false, "texts are compared with case")
	personal := c.flags.Bool("personal", false, "can be erased, and gives no access; else a fact, kept for ever")
	give := attributeFlags(c)
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op := map[string]any{"op": "declare_attribute", "key": c.args[0], "type": *kind, "case_exact": *exact, "personal": *personal}
	if err := give(op); err != nil {
		return err
	}
	return change.make(c, op)
}

func attributesChange(c *call) error {
	give := attributeFlags(c)
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op := map[string]any{"op": "update_attribute", "attribute": c.args[0]}
	if err := give(op); err != nil {
		return err
	}
	if len(op) == 2 {
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
