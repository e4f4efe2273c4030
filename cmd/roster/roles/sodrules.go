package roles

import (
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("sod-rules list", "", "SoD rules, with their violations and the paths to them", SodRulesList)
	command.Add("sod-rules add", "KEY -role ROLE -role ROLE… [-prevent]", "add an SoD rule", SodRulesAdd)
	command.Add("sod-rules end", "KEY", "end an SoD rule: its roles may be combined again", SodRulesEnd)
}

func SodRulesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.SoDRules(c.Ctx, q)
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
			rows = append(rows, []string{x.Key, command.Labels(x.Roles), kind, "nobody", ""})
		}
		for _, b := range x.Violations {
			broken++
			var ways []string
			for _, p := range b.Paths {
				ways = append(ways, command.PathWords(p))
			}
			rows = append(rows, []string{x.Key, command.Labels(x.Roles), kind, b.User.Label, strings.Join(ways, "; ")})
		}
	}
	c.Table(all, []string{"sod_rule", "roles", "kind", "broken_by", "granted_through"}, rows)
	switch {
	case len(rows) == 0:
		c.Say("There are no SoD rules%s. roster sod-rules add adds one.", c.AsOfWords(all.Basis))
	case broken > 0:
		c.Say("%s with violations%s.", command.Count(broken, "user"), c.AsOfWords(all.Basis))
	}
	return nil
}

func SodRulesAdd(c *command.Call) error {
	o := c.Operation("add_sod_rule", "key")
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0]})
	return change.Make(c, op)
}

func SodRulesEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_sod_rule", "sod_rule": c.Args[0]})
}
