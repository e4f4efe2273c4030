package main

import (
	"fmt"

	"ableroster/client"
	"ableroster/wire"
)

// usersLeaving is the sheet of somebody who leaves: a line each of what hangs on them. It ends
// with 1 while there is one.
func usersLeaving(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "USER")
	if err != nil {
		return err
	}
	o, err := c.client.Owned(c.ctx, c.args[0], q)
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
	add("approves by the route", "edit the route: routes set", o.Routes)
	if o.Deciding > 0 {
		rows = append(rows, []string{"is asked to decide", "", fmt.Sprint(count(o.Deciding, "request")), "decided by others of the step, or once the route is edited"})
	}
	if o.Waiting > 0 {
		rows = append(rows, []string{"has requested", "", fmt.Sprint(count(o.Waiting, "request")), "ends with them"})
	}
	c.table(o, []string{"what", "key", "name", "settled_by"}, rows)
	if len(rows) == 0 {
		c.say("Nothing hangs on %s%s.", c.args[0], c.asOfWords(o.Basis))
		return nil
	}
	return errDenied
}
