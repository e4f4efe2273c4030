package people

import (
	"fmt"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("employment-types list", "", "employment types: which work for another company, and whose access is closed", EmploymentTypesList)
	command.Add("employment-types set", "EMPLOYMENT_TYPE [-external] [-max-days DAYS] [-closed] [-max-hours HOURS]", "describe an employment type, or edit one: all that is said of it", EmploymentTypesSet)
	command.Add("employment-types end", "EMPLOYMENT_TYPE", "end an employment type that nobody has any more", EmploymentTypesEnd)
	command.Add("sponsored list", "", "whom you sponsor: people of other companies who report to you", SponsoredList)
	command.Add("sponsored extend", "USER DAY", "extend the last day of somebody whom you sponsor", SponsoredExtend)
	command.Add("sponsored open", "USER REFERENCE (-hours HOURS | -until TIME)", "open the closed access of somebody whom you sponsor, for a time", SponsoredOpen)
	command.Add("sponsored close", "USER", "close the access of somebody whom you sponsor before its time is over", SponsoredClose)
}

func EmploymentTypesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.EmploymentTypes(c.Ctx, q)
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
			says = append(says, "last day at most "+command.Count(t.MaxDays, "day")+" ahead")
		}
		if t.Closed {
			says = append(says, "closed, opened for "+command.Count(t.MaxHours, "hour")+" at most")
		}
		state := "in use"
		if t.Ended {
			state = "ended"
		}
		rows = append(rows, []string{t.Key, t.Label, strings.Join(says, "; "), strconv.Itoa(t.Users), state})
	}
	c.Table(all, []string{"employment_type", "label", "what_holds", "users", "state"}, rows)
	if len(rows) == 0 {
		c.Say("No employment type is described%s: those of users are free texts. roster employment-types set describes one.", c.AsOfWords(all.Basis))
	}
	return nil
}

func EmploymentTypesSet(c *command.Call) error {
	o := c.Operation("set_employment_type", "key")
	change := c.Changes()
	if err := c.Parse("EMPLOYMENT_TYPE"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0]})
	return change.Make(c, op)
}

func EmploymentTypesEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("EMPLOYMENT_TYPE"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_employment_type", "employment_type": c.Args[0]})
}

func SponsoredList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := c.Client.Sponsored(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range all.People {
		access := "open"
		switch {
		case p.Closed && p.Opening != nil && p.Opening.Open:
			access = "open until " + p.Opening.Until.In(c.Zone()).Format("2 Jan 2006 15:04") + " for " + p.Opening.Reference
		case p.Closed:
			access = "closed"
		}
		rows = append(rows, []string{p.User.Key, p.User.Label, p.Company, p.Employment, p.EndDate, p.Latest, access})
	}
	c.Table(all, []string{"user", "name", "company", "employment_type", "last_day", "extend_to_at_most", "access"}, rows)
	if len(rows) == 0 {
		c.Say("You sponsor nobody: no user of another company reports to you.")
	}
	return nil
}

func SponsoredExtend(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("USER", "DAY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "extend_contract", "user": c.Args[0], "end_date": c.Args[1]})
}

func SponsoredClose(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "close_access", "user": c.Args[0]})
}

func SponsoredOpen(c *command.Call) error {
	o := c.Operation("open_access", "user", "from", "until", "reference")
	from := c.Flags.String("from", "", "an instant from which it is open; now by default")
	until := c.Flags.String("until", "", "an instant until which it is open, or the last day")
	hours := c.Flags.Int("hours", 0, "for so many hours, instead of -until")
	change := c.Changes()
	if err := c.Parse("USER", "REFERENCE"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"user": c.Args[0], "reference": c.Args[1]})
	if err := c.Times(op, *from, *until); err != nil {
		return err
	}
	if *hours > 0 {
		if *until != "" {
			return command.WrongUse("-hours and -until exclude each other")
		}
		ends, err := c.HoursOn(*from, *hours)
		if err != nil {
			return err
		}
		op["until"] = ends
	}
	if op["until"] == nil {
		return command.WrongUse(fmt.Sprintf("says not for how long: give -hours, such as %s -hours 4, or -until", strings.Join(c.Args, " ")))
	}
	return change.Make(c, op)
}
