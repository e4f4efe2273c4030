package main

import (
	"fmt"

	"ableroster/client"
)

// timeline is of a user's roles, or of one permission.
func timeline(c *call) error {
	if err := c.parseSome(1, "USER", "APPLICATION", "ACTION", "PATH"); err != nil {
		return err
	}
	switch len(c.args) {
	case 1:
		return roleTimeline(c)
	case 4:
		return permissionTimeline(c)
	}
	return &usageError{"name the application, the action and the path, or the user alone"}
}

func roleTimeline(c *call) error {
	l, err := c.client.RoleTimeline(c.ctx, c.args[0])
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range l.Roles {
		for _, s := range r.Spans {
			until, through, why := "no end", s.Way, ""
			if s.Until != nil {
				until = c.day(s.Until)
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
			rows = append(rows, []string{first(r.Role.Key, r.Role.Label), c.day(&s.From), until, through, why})
		}
	}
	c.table(l, []string{"role", "from", "until", "granted_through", "because"}, rows)
	if len(rows) == 0 {
		c.say("%s never held a role of their own.", l.User.Label)
	}
	return nil
}

func overTime(c *call) error {
	from := c.flags.String("from", "", "a day or an instant; a year ago by default")
	points := c.flags.Int("points", 13, "how many instants are looked at")
	if err := c.parse("APPLICATION"); err != nil {
		return err
	}
	q := client.Query{"points": fmt.Sprint(*points)}
	t, err := c.instant("from", *from)
	if err != nil {
		return err
	}
	q["from"] = t
	o, err := c.client.OverTime(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	ways := []string{"direct", "request", "default", "group", "everybody"}
	var rows [][]string
	for _, p := range o.Points {
		row := []string{c.day(&p.At), fmt.Sprint(p.All)}
		for _, w := range ways {
			row = append(row, fmt.Sprint(p.Ways[w]))
		}
		rows = append(rows, row)
	}
	c.table(o, append([]string{"day", "people"}, ways...), rows)
	return nil
}
