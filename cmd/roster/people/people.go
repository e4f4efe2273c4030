package people

import (
	"maps"
	"slices"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("users show", "USER", "one user: attributes, groups and roles", UsersShow)
	command.Add("users add", "USER_NAME [-name …] [-unit …] [-role ROLE]… [-group GROUP]…", "add a user, with roles and groups in the same change", UsersAdd)
	command.Add("users change", "USER [-unit …] [-title …] [-manager …] [-status …]", "edit a user: move, suspend, mark as departed", UsersChange)
	command.Add("users depart", "USER [-hand-over-to USER]", "end all access of somebody who leaves; their history stays", UsersDepart)
	command.Add("users erase", "USER", "erase the names and the address of somebody who has departed", UsersErase)
}

func UsersShow(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "USER")
	if err != nil {
		return err
	}
	u, err := c.Client.User(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	if c.Output != "table" {
		rows := [][]string{}
		for _, g := range u.Groups {
			rows = append(rows, []string{"group", g.Group.Key, g.Group.Label, c.Window(g.From, g.Until), command.ThroughGroup(g)})
		}
		for _, a := range u.Assignments {
			rows = append(rows, []string{"role", a.Role.Key, a.Role.Label, command.LimitsOf(c, a), command.Given(a.Given)})
		}
		c.Table(u, []string{"kind", "key", "label", "window", "note"}, rows)
		return nil
	}
	c.Say("%s (%s)%s", u.DisplayName, u.UserName, c.AsOfWords(u.Basis))
	line := []string{u.Kind, u.Status}
	for _, s := range []string{u.Title, u.Unit, u.EmploymentType, u.Location, u.Email} {
		if s != "" {
			line = append(line, s)
		}
	}
	if u.Manager != nil {
		line = append(line, "reports to "+u.Manager.Label)
	}
	if u.EndDate != "" {
		line = append(line, "last day "+u.EndDate)
	}
	for _, key := range slices.Sorted(maps.Keys(u.Custom)) {
		line = append(line, key+" "+u.Custom[key])
	}
	c.Say("  %s", strings.Join(line, " · "))
	if u.MergedInto != nil {
		c.Say("  merged into %s (%s)", u.MergedInto.Label, u.MergedInto.Key)
	}
	for _, from := range u.MergedFrom {
		c.Say("  the record %s was merged into this one", from.Key)
	}
	sayTimes(c, u)
	c.Say("\nGroups")
	for _, g := range u.Groups {
		c.Say("  %-28s %s", g.Group.Key, strings.TrimSpace(g.Group.Label+" "+command.ThroughGroup(g)+" "+c.Window(g.From, g.Until)))
	}
	if len(u.Groups) == 0 {
		c.Say("  none")
	}
	c.Say("\nRoles held directly")
	for _, a := range u.Assignments {
		c.Say("  %-28s %s", a.Role.Key, strings.TrimSpace(a.Role.Label+" "+command.LimitsOf(c, a)+" "+command.Given(a.Given)))
	}
	if len(u.Assignments) == 0 {
		c.Say("  none")
	}
	return nil
}

// setFlags adds the option that sets declared attributes; give writes what was given into
// an operation.
func setFlags(c *command.Call) (give func(op map[string]any) error) {
	var custom command.Names
	c.Flags.Var(&custom, "set", "a declared attribute: KEY=VALUE, blank after = to clear; may be given again")
	return func(op map[string]any) error {
		values := map[string]string{}
		for _, s := range custom {
			key, value, ok := strings.Cut(s, "=")
			if !ok {
				return command.WrongUse("-set is KEY=VALUE, such as cost_centre=4711")
			}
			values[key] = value
		}
		if len(values) > 0 {
			op["custom"] = values
		}
		return nil
	}
}

func UsersChange(c *command.Call) error {
	o := c.Operation("update_user", "user")
	give, unit := setFlags(c), newUnit(c)
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"user": c.Args[0]})
	if err := give(op); err != nil {
		return err
	}
	if len(op) == 2 {
		return command.WrongUse("says nothing to change; give -unit, -title, -status …")
	}
	ops, err := unit(op)
	if err != nil {
		return err
	}
	return change.Make(c, append(ops, op)...)
}

func UsersDepart(c *command.Call) error {
	to := c.Flags.String("hand-over-to", "", "user name of whoever takes over what they own, and the people who report to them")
	day := c.Flags.String("last-day", "", "their last day, YYYY-MM-DD")
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	var ops []map[string]any
	if *to != "" {
		ops = append(ops, map[string]any{"op": "hand_over", "user": c.Args[0], "to": *to})
	}
	op := map[string]any{"op": "update_user", "user": c.Args[0], "status": "departed"}
	if *day != "" {
		op["end_date"] = *day
	}
	return change.Make(c, append(ops, op)...)
}

func UsersErase(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "erase_user", "user": c.Args[0]})
}

func UsersAdd(c *command.Call) error { return addUser(c, "") }

// addUser adds a user, with a status where one is given.
func addUser(c *command.Call, status string) error {
	o := c.Operation("add_user", "user_name", "status")
	give, unit := setFlags(c), newUnit(c)
	var roles, groups command.Names
	c.Flags.Var(&roles, "role", "a role to grant in the same change; may be given again")
	c.Flags.Var(&groups, "group", "a group to put the user into in the same change; may be given again")
	change := c.Changes()
	if err := c.Parse("USER_NAME"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"user_name": c.Args[0]})
	if status != "" {
		op["status"] = status
	}
	if err := give(op); err != nil {
		return err
	}
	ops, err := unit(op)
	if err != nil {
		return err
	}
	ops = append(ops, op)
	for _, g := range groups {
		ops = append(ops, map[string]any{"op": "add_member", "group": g, "user": c.Args[0]})
	}
	for _, r := range roles {
		ops = append(ops, map[string]any{"op": "grant", "role": r, "user": c.Args[0]})
	}
	return change.Make(c, ops...)
}
