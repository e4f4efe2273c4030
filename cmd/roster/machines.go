package main

import (
	"strings"
	"time"

	"ableroster/client"
	"ableroster/wire"
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

func machineAccountsRotate(c *call) error {
	label := c.flags.String("label", "", "in the place of those of this label alone")
	days := c.flags.Int("days", 0, "how long the new one lasts; 90, or as long as one's own sign-in, where nothing is said")
	overlap := c.flags.Int("overlap", 7, "days that those of before are good beside it")
	if err := c.parse("USER"); err != nil {
		return err
	}
	out, err := c.client.RotateTokens(c.ctx, c.args[0], wire.RotationRequest{Label: *label, Days: *days, OverlapDays: overlap})
	if err != nil {
		return err
	}
	if !c.people() {
		c.table(out, []string{"account", "label", "expires_at", "secret"}, [][]string{{out.Token.User.Key, out.Token.Label, out.Token.ExpiresAt.UTC().Format(time.RFC3339), out.Token.Secret}})
		return nil
	}
	c.say("A new token of %s (%s), good until %s. It is shown now and never again:", out.Token.User.Label, out.Token.Label, out.Token.ExpiresAt.In(c.zone()).Format("2 Jan 2006"))
	c.say("  %s", out.Token.Secret)
	if out.Ending > 0 {
		c.say("%s of before: good until %s. Put the new one in its place before then.", count(out.Ending, "token"), out.EndsAt.In(c.zone()).Format("2 Jan 2006, 15:04"))
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
