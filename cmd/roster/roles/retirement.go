package roles

import (
	"encoding/json"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("applications retirement", "APPLICATION [-settle]", "what hangs on an application: its roles, and whatever else names it", ApplicationsRetirement)
	command.Add("roles retire", "ROLE [-replacement ROLE]", "retire a role: it gives nothing any more; its holders get the replacement, if one is named", RolesRetire)
	command.Add("roles retirement", "ROLE [-replacement ROLE]", "what hangs on a role: who holds it, and whatever names it", RolesRetirement)
}

func RolesRetire(c *command.Call) error {
	replacement := c.Flags.String("replacement", "", "a role that its holders get instead, on the same limits; whatever names the role names this one then")
	change := c.Changes()
	if err := c.Parse("ROLE"); err != nil {
		return err
	}
	if *replacement == "" {
		return change.Make(c, map[string]any{"op": "retire_role", "role": c.Args[0]})
	}
	x, err := c.Client.RoleRetirement(c.Ctx, c.Args[0], client.Query{"replacement": *replacement})
	if err != nil {
		return err
	}
	return settleEach(change, c, x)
}

// settleEach makes what settles the ties of something that is retired.
func settleEach(x *command.Changing, c *command.Call, r wire.Retirement) error {
	var ops []json.RawMessage
	for _, l := range r.Lines {
		ops = append(ops, l.Operations...)
	}
	if x.BasedOn == 0 {
		x.BasedOn = r.Revision
	}
	return x.Send(c, ops)
}

func RolesRetirement(c *command.Call) error {
	replacement := c.Flags.String("replacement", "", "a role that its holders would get instead")
	if err := c.Parse("ROLE"); err != nil {
		return err
	}
	x, err := c.Client.RoleRetirement(c.Ctx, c.Args[0], client.Query{"replacement": *replacement})
	if err != nil {
		return err
	}
	ties(c, x, "roster roles retire "+c.Args[0]+" -replacement ROLE gives its holders another role instead.")
	return nil
}

func ApplicationsRetirement(c *command.Call) error {
	settle := c.Flags.Bool("settle", false, "settle what can be settled, and retire it")
	change := c.Changes()
	if err := c.Parse("APPLICATION"); err != nil {
		return err
	}
	x, err := c.Client.ApplicationRetirement(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	if *settle {
		return settleEach(change, c, x)
	}
	ties(c, x, "roster applications retirement "+c.Args[0]+" -settle settles what can be settled, and retires it.")
	return nil
}

// ties tells what hangs on something, and what next.
func ties(c *command.Call, x wire.Retirement, next string) {
	var rows [][]string
	for _, t := range x.Ties {
		rows = append(rows, []string{t.Kind, t.Thing.Label, t.Thing.Key, t.Words})
	}
	c.Table(x, []string{"kind", "thing", "key", "how"}, rows)
	if !c.People() {
		return
	}
	if len(rows) == 0 {
		c.Say("Nothing hangs on it.")
	} else {
		c.Say("\n%s. %s", command.Count(len(rows), "tie"), next)
	}
	if x.More {
		c.Say("More hold it than one change takes: settle these first, and ask again.")
	}
	if x.Outside {
		c.Say("There may be more, outside what you may see.")
	}
}
