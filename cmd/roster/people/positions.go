package people

import (
	"strconv"

	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("users hold", "USER -until DAY", "keep a user from being erased until a day is over (legal hold)", AboutTime("set_legal_hold", "user"))
	command.Add("users end-hold", "USER", "end a legal hold: the user can be erased again", AboutTime("end_legal_hold", "user"))
	command.Add("users merge", "USER INTO", "merge the record of a user into another of the same person; the first departs", UsersMerge)
	command.Add("positions add", "USER UNIT -start DAY -end DAY [-title TEXT]", "give a user a position in a unit for a time, beside their own: a transfer, or a stand-in", AboutTime("add_position", "user", "unit"))
	command.Add("positions end", "USER NUMBER [-end DAY]", "end a position of a user, at once or on a day", AboutTime("end_position", "user", "position"))
	command.Add("absences add", "USER -start DAY [-end DAY]", "have a user count nowhere for a time, such as a leave", AboutTime("add_absence", "user"))
	command.Add("substitutes add", "USER SUBSTITUTE -start DAY -end DAY", "have somebody decide on requests and reviews in a user's place for a time", AboutTime("add_substitute", "user", "substitute"))
	command.Add("substitutes end", "USER NUMBER [-end DAY]", "end a substitute of a user, at once or on a day", AboutTime("end_substitute", "user", "number"))
	command.Add("absences end", "USER NUMBER [-end DAY]", "end an absence of a user, at once or on a day", AboutTime("end_absence", "user", "absence"))
}

// AboutTime makes a command of an operation about a user: its arguments are fields, and
// what else it has are options.
func AboutTime(verb string, arguments ...string) func(*command.Call) error {
	return func(c *command.Call) error {
		o := c.Operation(verb, arguments...)
		change := c.Changes()
		names := map[string]string{"user": "USER", "unit": "UNIT", "position": "NUMBER", "absence": "NUMBER", "substitute": "SUBSTITUTE", "number": "NUMBER"}
		var wanted []string
		for _, a := range arguments {
			wanted = append(wanted, names[a])
		}
		if err := c.Parse(wanted...); err != nil {
			return err
		}
		fields := map[string]any{}
		for i, a := range arguments {
			if fields[a] = c.Args[i]; names[a] == "NUMBER" {
				n, err := strconv.Atoi(c.Args[i])
				if err != nil {
					return command.WrongUse(c.Args[i] + " is not a number: roster users show USER tells the numbers")
				}
				fields[a] = n
			}
		}
		op, _ := o.With(fields)
		return change.Make(c, op)
	}
}

func UsersMerge(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("USER", "INTO"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "merge_users", "user": c.Args[0], "into": c.Args[1]})
}

// sayTimes says a user's positions and absences, for people.
func sayTimes(c *command.Call, u wire.UserDetail) {
	if len(u.Positions) > 0 {
		c.Say("\nPositions")
	}
	for _, p := range u.Positions {
		what := p.Unit
		if p.Title != "" {
			what += ", " + p.Title
		}
		if p.Former {
			what += " (moved from there)"
		}
		c.Say("  %d  %s to %s  %s", p.Position, p.StartDate, p.EndDate, what)
	}
	if len(u.Absences) > 0 {
		c.Say("\nAbsences")
	}
	for _, a := range u.Absences {
		until := "until it is ended"
		if a.EndDate != "" {
			until = "to " + a.EndDate
		}
		c.Say("  %d  %s %s", a.Absence, a.StartDate, until)
	}
	if len(u.Substitutes) > 0 {
		c.Say("\nSubstitutes, who decide on requests and reviews in their place")
	}
	for _, x := range u.Substitutes {
		c.Say("  %d  %s to %s  %s", x.Number, x.StartDate, x.EndDate, x.Substitute.Label)
	}
	if len(u.StandsInFor) > 0 {
		c.Say("\nDecides in the place of %s, now or later", command.Labels(u.StandsInFor))
	}
	for i, x := range u.Sources {
		if i == 0 {
			c.Say("\nFrom elsewhere")
		}
		what := "changed there"
		if x.Overridable {
			what = "may be changed here too"
		}
		c.Say("  %s  from %s, %s", x.Attribute, x.Account.Label, what)
	}
	if h := u.LegalHold; h != nil {
		c.Say("\nUnder legal hold until the end of %s: not to be erased.", h.LastDay)
		if g := h.Given; g != nil && g.Reason != "" {
			c.Say("  %s: %s", g.At.In(c.Zone()).Format("2 Jan 2006"), g.Reason)
		}
	}
}
