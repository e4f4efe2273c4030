package people

import (
	"strconv"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("sign-up-rules list", "", "who may sign up by themselves, by the domain of their address", SignUpRulesList)
	command.Add("sign-up-rules set", "DOMAIN [-unit UNIT] [-employment-type TYPE] [-company COMPANY] [-sponsor USER] [-days DAYS]", "let whoever has an address in a mail domain sign up, or edit the rule: all that is said of it", SignUpRulesSet)
	command.Add("sign-up-rules end", "DOMAIN", "let nobody with an address in a mail domain sign up any more; who did so stays", SignUpRulesEnd)
}

func SignUpRulesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.SignUpRules(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	open := false
	for _, r := range all.Rules {
		sponsor, days, state := "", "", "in use"
		if r.Sponsor != nil {
			sponsor = r.Sponsor.Label
		}
		if r.Days > 0 {
			days = strconv.Itoa(r.Days)
		}
		switch {
		case r.Ended:
			state = "ended"
		case r.Rests != "":
			state = "rests: " + r.Rests
		default:
			open = true
		}
		rows = append(rows, []string{r.Domain, r.Unit, r.Employment, r.Company, sponsor, days, r.SetBy.Label, state})
	}
	c.Table(all, []string{"domain", "unit", "employment_type", "company", "sponsor", "days", "set_by", "state"}, rows)
	if !open {
		c.Say("Nobody can sign up by themselves%s.", c.AsOfWords(all.Basis))
	}
	return nil
}

func SignUpRulesSet(c *command.Call) error {
	o := c.Operation("set_sign_up_rule", "domain")
	change := c.Changes()
	if err := c.Parse("DOMAIN"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"domain": c.Args[0]})
	return change.Make(c, op)
}

func SignUpRulesEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("DOMAIN"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_sign_up_rule", "sign_up_rule": c.Args[0]})
}
