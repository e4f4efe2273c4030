package questions

import (
	"fmt"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("timeline", "USER [APPLICATION ACTION PATH]", "from when to when a user held each role, or one permission, and through what", Timeline)
	command.Add("over-time", "APPLICATION [-from DAY] [-points N]", "how many people had access to an application over time, and through what", OverTime)
}

// Timeline is of a user's roles, or of one permission.
func Timeline(c *command.Call) error {
	if err := c.ParseSome(1, "USER", "APPLICATION", "ACTION", "PATH"); err != nil {
		return err
	}
	switch len(c.Args) {
	case 1:
		return roleTimeline(c)
	case 4:
		return permissionTimeline(c)
	}
	return command.WrongUse("name the application, the action and the path, or the user alone")
}

func roleTimeline(c *command.Call) error {
	l, err := c.Client.Timeline(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range l.Roles {
		for _, s := range r.Spans {
			until, through, why := "no end", s.Way, ""
			if s.Until != nil {
				until = c.Day(s.Until)
			}
			if s.Group != nil {
				through = "group " + s.Group.Label
			}
			if s.Default != nil {
				through += ", default rule " + s.Default.Label
			}
			if s.Given != nil {
				why = s.Given.Reason
			}
			rows = append(rows, []string{command.First(r.Role.Key, r.Role.Label), c.Day(&s.From), until, through, why})
		}
	}
	c.Table(l, []string{"role", "from", "until", "granted_through", "because"}, rows)
	if len(rows) == 0 {
		c.Say("%s never held a role of their own.", l.User.Label)
	}
	return nil
}

func OverTime(c *command.Call) error {
	from := c.Flags.String("from", "", "a day or an instant; a year ago by default")
	points := c.Flags.Int("points", 13, "how many instants are looked at")
	if err := c.Parse("APPLICATION"); err != nil {
		return err
	}
	q := client.Query{"points": fmt.Sprint(*points)}
	t, err := c.Instant("from", *from)
	if err != nil {
		return err
	}
	q["from"] = t
	o, err := c.Client.OverTime(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	ways := []string{"direct", "request", "share", "default", "group", "everybody"}
	var rows [][]string
	for _, p := range o.Points {
		row := []string{c.Day(&p.At), fmt.Sprint(p.All)}
		for _, w := range ways {
			row = append(row, fmt.Sprint(p.Ways[w]))
		}
		rows = append(rows, row)
	}
	c.Table(o, append([]string{"day", "people"}, ways...), rows)
	return nil
}
