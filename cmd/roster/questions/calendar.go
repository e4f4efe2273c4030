package questions

import (
	"strconv"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("calendar", "[-days DAYS] [-unit UNIT] [-application APPLICATION] [-mine]", "what begins and ends in the days to come: access, memberships, first and last days, freezes", ShowCalendar)
}

// calendarWords say what an entry of a calendar is.
var calendarWords = map[string]string{
	"access_begins": "access begins", "access_ends": "access ends", "membership_begins": "membership begins", "membership_ends": "membership ends",
	"start_date": "first day", "end_date": "last day", "freeze_begins": "a freeze begins", "freeze_ends": "a freeze ends",
}

func ShowCalendar(c *command.Call) error {
	days := c.Flags.Int("days", 90, "how far it reaches")
	unit := c.Flags.String("unit", "", "people and groups of this unit and below")
	application := c.Flags.String("application", "", "access to this application alone")
	mine := c.Flags.Bool("mine", false, "your own alone")
	if err := c.Parse(); err != nil {
		return err
	}
	q := client.Query{"days": strconv.Itoa(*days), "unit": *unit, "application": *application}
	if *mine {
		q["mine"] = "true"
	}
	all, err := c.Client.DatesAhead(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, e := range all.Entries {
		who, what := e.Label, ""
		switch {
		case e.User != nil:
			who = e.User.Label
		case e.Group != nil:
			who = "the group " + e.Group.Label
		}
		switch {
		case e.Role != nil:
			what = e.Role.Label
		case e.User != nil && e.Group != nil:
			what = "the group " + e.Group.Label
		}
		app := ""
		if e.Application != nil {
			app = e.Application.Label
		}
		rows = append(rows, []string{e.Day, calendarWords[e.Kind], who, what, app})
	}
	c.Table(all, []string{"day", "what", "who", "of", "application"}, rows)
	switch {
	case len(rows) == 0:
		c.Say("Nothing begins or ends within %s, of what you may see.", command.Count(*days, "day"))
	case all.More > 0:
		c.Say("%s more are left out: give fewer -days, or a -unit.", strconv.Itoa(all.More))
	}
	return nil
}
