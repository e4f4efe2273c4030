package people

import (
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("attributes list", "", "the attributes of users, and of units, that the organisation declared", AttributesList)
	command.Add("attributes declare", "KEY [-type TYPE] [-allow VALUE…]", "declare an attribute of users, or of units (-of-units)", AttributesDeclare)
	command.Add("attributes change", "KEY [options]", "edit a declared attribute", AttributesChange)
	command.Add("attributes retire", "KEY", "retire a declared attribute; its values stay on every past day", AttributesRetire)
}

func AttributesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Attributes(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	ofUsers := len(all.Attributes)
	for i, a := range append(all.Attributes, all.OfUnits...) {
		kind, of := "fact", "users"
		if a.Personal {
			kind = "personal"
		}
		if i >= ofUsers {
			of = "units"
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
		rows = append(rows, []string{a.Key, a.Label, of, a.Type, kind, strings.Join(says, "; "), strconv.Itoa(a.Having), strconv.Itoa(a.Lacking)})
	}
	c.Table(all, []string{"attribute", "label", "of", "type", "kind", "rule", "having", "lacking"}, rows)
	if len(rows) == 0 {
		c.Say("No attribute is declared%s. roster attributes declare does.", c.AsOfWords(all.Basis))
	}
	return nil
}

// fillFlags are how an attribute fills itself in.
func fillFlags(c *command.Call) (give func(op map[string]any) error) {
	var units command.Names
	c.Flags.Var(&units, "fill-unit", "fills itself in: UNIT=VALUE for whoever is in the unit or below it; may be given again")
	date := c.Flags.String("fill-date", "", "fills itself in from start_date or end_date")
	months := c.Flags.Int("months", 0, "with -fill-date: so many months later, or earlier when negative")
	return func(op map[string]any) error {
		switch {
		case len(units) > 0 && *date != "":
			return command.WrongUse("an attribute is filled in from the unit or from a date, not from both")
		case len(units) > 0:
			var table []map[string]string
			for _, u := range units {
				unit, value, ok := strings.Cut(u, "=")
				if !ok {
					return command.WrongUse("-fill-unit is UNIT=VALUE, such as marine/pilotage=4711")
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

func AttributesDeclare(c *command.Call) error {
	return attributeSays(c, c.Operation("declare_attribute", "key"), "key")
}

func AttributesChange(c *command.Call) error {
	return attributeSays(c, c.Operation("update_attribute", "attribute"), "attribute")
}

func attributeSays(c *command.Call, o *command.Operation, key string) error {
	give := fillFlags(c)
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{key: c.Args[0]})
	if err := give(op); err != nil {
		return err
	}
	if len(op) == 2 && key == "attribute" {
		return command.WrongUse("says nothing to change; give -label, -required, -allow …")
	}
	return change.Make(c, op)
}

func AttributesRetire(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "retire_attribute", "attribute": c.Args[0]})
}
