package people

import (
	"fmt"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("users leaving", "USER", "what hangs on somebody who leaves, or has left: what they own, lead and decide, line by line, until each is settled", UsersLeaving)
}

// UsersLeaving is the sheet of somebody who leaves: a line each of what hangs on them. It ends
// with 1 while there is one.
func UsersLeaving(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "USER")
	if err != nil {
		return err
	}
	o, err := c.Client.Owned(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	add := func(what, settles string, things []wire.Ref) {
		for _, x := range things {
			rows = append(rows, []string{what, x.Key, x.Label, settles})
		}
	}
	over := "handed over by: users depart -hand-over-to, or an owner of its own"
	add("owns the application", over, o.Applications)
	add("owns the role", over, o.Roles)
	add("owns the group", over, o.Groups)
	add("owns the expectation", over, o.Expectations)
	add("owns the default rule", over, o.Defaults)
	add("leads the unit", over, o.Units)
	add("is accountable for the machine account", over, o.Machines)
	add("manages", over, o.People)
	add("is the custodian of the shared account", over, o.Shared)
	add("sponsors users by the rule", over, o.Rules)
	add("approves by the route", over, o.Routes)
	add("is a reviewer of, or opened, the review", over, o.Reviews)
	add("decides in the place of", over, o.StandsInFor)
	if o.Deciding > 0 {
		rows = append(rows, []string{"is asked to decide", "", fmt.Sprint(command.Count(o.Deciding, "request")), "decided by others of the step, or by whoever takes over"})
	}
	if o.Waiting > 0 {
		rows = append(rows, []string{"has requested", "", fmt.Sprint(command.Count(o.Waiting, "request")), "ends with them"})
	}
	c.Table(o, []string{"what", "key", "name", "settled_by"}, rows)
	if len(rows) == 0 {
		c.Say("Nothing hangs on %s%s.", c.Args[0], c.AsOfWords(o.Basis))
		return nil
	}
	return command.ErrDenied
}
