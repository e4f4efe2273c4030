package main

import (
	"strings"

	"ableroster/client"
)

func machineAccountsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.MachineAccounts(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, a := range all.Accounts {
		app, ends, used := "", "", ""
		if a.Application != nil {
			app = a.Application.Label
		}
		if a.Tokens > 0 {
			ends = count(a.Tokens, "token") + ", without end"
			if a.TokenEnds != nil {
				ends = count(a.Tokens, "token") + ", until " + a.TokenEnds.In(c.zone()).Format("2 Jan 2006")
			}
		}
		if a.LastUsed != nil {
			used = a.LastUsed.In(c.zone()).Format("2 Jan 2006")
		}
		purpose := a.Purpose
		if purpose == "" {
			purpose = "nobody has said"
		}
		rows = append(rows, []string{a.User.Key, purpose, labels(a.Accountable), app, ends, used, a.SecretAt})
	}
	c.table(all, []string{"account", "purpose", "accountable", "application", "tokens", "last_used", "secret_at"}, rows)
	if len(rows) == 0 {
		c.say("There are no machine accounts that you may see%s.", c.asOfWords(all.Basis))
	}
	return nil
}

func machineAccountsSet(c *call) error {
	o := c.operation("set_machine_account", "user", "accountable")
	by := c.flags.String("accountable", "", "the two people who are accountable for it, with a comma between them")
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	var people []string
	for name := range strings.SplitSeq(*by, ",") {
		if name = strings.TrimSpace(name); name != "" {
			people = append(people, name)
		}
	}
	op, _ := o.with(map[string]any{"user": c.args[0], "accountable": people})
	return change.make(c, op)
}
