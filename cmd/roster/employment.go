package main

import (
	"fmt"
	"strconv"
	"strings"

	"ableroster/client"
)

func employmentTypesList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.EmploymentTypes(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, t := range all.Types {
		var says []string
		if t.External {
			says = append(says, "of another company")
		}
		if t.MaxDays > 0 {
			says = append(says, "last day at most "+count(t.MaxDays, "day")+" ahead")
		}
		if t.Closed {
			says = append(says, "closed, opened for "+count(t.MaxHours, "hour")+" at most")
		}
		state := "in use"
		if t.Ended {
			state = "ended"
		}
		rows = append(rows, []string{t.Key, t.Label, strings.Join(says, "; "), strconv.Itoa(t.Users), state})
	}
	c.table(all, []string{"employment_type", "label", "what_holds", "users", "state"}, rows)
	if len(rows) == 0 {
		c.say("No employment type is described%s: those of users are free texts. roster employment-types set describes one.", c.asOfWords(all.Basis))
	}
	return nil
}

func employmentTypesSet(c *call) error {
	o := c.operation("set_employment_type", "key")
	change := c.changes()
	if err := c.parse("EMPLOYMENT_TYPE"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"key": c.args[0]})
	return change.make(c, op)
}

func employmentTypesEnd(c *call) error {
	change := c.changes()
	if err := c.parse("EMPLOYMENT_TYPE"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_employment_type", "employment_type": c.args[0]})
}

func sponsoredList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	all, err := c.client.Sponsored(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range all.People {
		access := "open"
		switch {
		case p.Closed && p.Opening != nil && p.Opening.Open:
			access = "open until " + p.Opening.Until.In(c.zone()).Format("2 Jan 2006 15:04") + " for " + p.Opening.Reference
		case p.Closed:
			access = "closed"
		}
		rows = append(rows, []string{p.User.Key, p.User.Label, p.Company, p.Employment, p.EndDate, p.Latest, access})
	}
	c.table(all, []string{"user", "name", "company", "employment_type", "last_day", "extend_to_at_most", "access"}, rows)
	if len(rows) == 0 {
		c.say("You sponsor nobody: no user of another company reports to you.")
	}
	return nil
}

func sponsoredExtend(c *call) error {
	change := c.changes()
	if err := c.parse("USER", "DAY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "extend_contract", "user": c.args[0], "end_date": c.args[1]})
}

func sponsoredClose(c *call) error {
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "close_access", "user": c.args[0]})
}

func sponsoredOpen(c *call) error {
	o := c.operation("open_access", "user", "from", "until", "reference")
	from := c.flags.String("from", "", "an instant from which it is open; now by default")
	until := c.flags.String("until", "", "an instant until which it is open, or the last day")
	hours := c.flags.Int("hours", 0, "for so many hours, instead of -until")
	change := c.changes()
	if err := c.parse("USER", "REFERENCE"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"user": c.args[0], "reference": c.args[1]})
	if err := c.times(op, *from, *until); err != nil {
		return err
	}
	if *hours > 0 {
		if *until != "" {
			return &usageError{"-hours and -until exclude each other"}
		}
		ends, err := c.hoursOn(*from, *hours)
		if err != nil {
			return err
		}
		op["until"] = ends
	}
	if op["until"] == nil {
		return &usageError{fmt.Sprintf("says not for how long: give -hours, such as %s -hours 4, or -until", strings.Join(c.args, " "))}
	}
	return change.make(c, op)
}
