package main

import (
	"ableroster/wire"
)

func connectionsList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	var all wire.ConnectionList
	if err := c.client.Do(c.ctx, "GET", "/connections", nil, nil, &all); err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all.Connections {
		refused, why := "", ""
		if x.Refused != nil {
			refused, why = x.Refused.At.In(c.zone()).Format("2 Jan 2006 15:04")+" "+x.Refused.Call, x.Refused.Why
		}
		rows = append(rows, []string{x.Account.Key, x.Standard, x.LastAt.In(c.zone()).Format("2 Jan 2006 15:04"), x.LastCall, refused, why})
	}
	c.table(all, []string{"account", "standard", "last", "call", "refused", "why"}, rows)
	if len(rows) == 0 {
		c.say("No account speaks SCIM or AuthZEN yet, of those you may see.")
	}
	return nil
}
