package ledger

import (
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("connections list", "", "accounts that keep people by SCIM or ask for decisions by AuthZEN: what each sent last, and what was refused", ConnectionsList)
}

func ConnectionsList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	var all wire.ConnectionList
	if err := c.Client.Do(c.Ctx, "GET", "/connections", nil, nil, &all); err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all.Connections {
		refused, why := "", ""
		if x.Refused != nil {
			refused, why = x.Refused.At.In(c.Zone()).Format("2 Jan 2006 15:04")+" "+x.Refused.Call, x.Refused.Why
		}
		rows = append(rows, []string{x.Account.Key, x.Standard, x.LastAt.In(c.Zone()).Format("2 Jan 2006 15:04"), x.LastCall, refused, why})
	}
	c.Table(all, []string{"account", "standard", "last", "call", "refused", "why"}, rows)
	if len(rows) == 0 {
		c.Say("No account speaks SCIM or AuthZEN yet, of those you may see.")
	}
	return nil
}
