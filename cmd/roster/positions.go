package main

import (
	"strconv"

	"ableroster/wire"
)

// aboutTime makes a command of an operation about a user: its arguments are fields, and
// what else it has are options.
func aboutTime(verb string, arguments ...string) func(*call) error {
	return func(c *call) error {
		o := c.operation(verb, arguments...)
		change := c.changes()
		names := map[string]string{"user": "USER", "unit": "UNIT", "position": "NUMBER", "absence": "NUMBER"}
		var wanted []string
		for _, a := range arguments {
			wanted = append(wanted, names[a])
		}
		if err := c.parse(wanted...); err != nil {
			return err
		}
		fields := map[string]any{}
		for i, a := range arguments {
			if fields[a] = c.args[i]; names[a] == "NUMBER" {
				n, err := strconv.Atoi(c.args[i])
				if err != nil {
					return &usageError{c.args[i] + " is not a number: roster users show USER tells the numbers"}
				}
				fields[a] = n
			}
		}
		op, _ := o.with(fields)
		return change.make(c, op)
	}
}

func usersMerge(c *call) error {
	change := c.changes()
	if err := c.parse("USER", "INTO"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "merge_users", "user": c.args[0], "into": c.args[1]})
}

// sayTimes says a user's positions and absences, for people.
func (c *call) sayTimes(u wire.UserDetail) {
	if len(u.Positions) > 0 {
		c.say("\nPositions")
	}
	for _, p := range u.Positions {
		what := p.Unit
		if p.Title != "" {
			what += ", " + p.Title
		}
		if p.Former {
			what += " (moved from there)"
		}
		c.say("  %d  %s to %s  %s", p.Position, p.StartDate, p.EndDate, what)
	}
	if len(u.Absences) > 0 {
		c.say("\nAbsences")
	}
	for _, a := range u.Absences {
		until := "until it is ended"
		if a.EndDate != "" {
			until = "to " + a.EndDate
		}
		c.say("  %d  %s %s", a.Absence, a.StartDate, until)
	}
}
