package main

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

// names gathers a flag that may be given several times.
type names []string

func (n *names) String() string     { return strings.Join(*n, ",") }
func (n *names) Set(s string) error { *n = append(*n, s); return nil }

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	if what == "person" {
		return strconv.Itoa(n) + " people"
	}
	return strconv.Itoa(n) + " " + what + "s"
}

func (c *call) asOfWords(s wire.Basis) string {
	if !s.AsOf {
		return ""
	}
	return ", as of " + s.At.In(c.zone()).Format("2 January 2006 15:04") + fmt.Sprintf(" (revision %d)", s.Revision)
}

func (c *call) window(from, until *time.Time) string {
	out := ""
	if from != nil {
		out = "from " + calendar.FromWords(*from, c.zone())
	}
	if until != nil {
		out = strings.TrimSpace(out + " until " + calendar.UntilWords(*until, c.zone()))
	}
	return out
}

func usersShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "USER")
	if err != nil {
		return err
	}
	u, err := c.client.User(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	if c.output != "table" {
		rows := [][]string{}
		for _, g := range u.Groups {
			rows = append(rows, []string{"group", g.Group.Key, g.Group.Label, c.window(g.From, g.Until), throughGroup(g)})
		}
		for _, a := range u.Assignments {
			rows = append(rows, []string{"role", a.Role.Key, a.Role.Label, c.limits(a), given(a.Given)})
		}
		c.table(u, []string{"kind", "key", "label", "window", "note"}, rows)
		return nil
	}
	c.say("%s (%s)%s", u.DisplayName, u.UserName, c.asOfWords(u.Basis))
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
	c.say("  %s", strings.Join(line, " · "))
	if u.MergedInto != nil {
		c.say("  merged into %s (%s)", u.MergedInto.Label, u.MergedInto.Key)
	}
	for _, from := range u.MergedFrom {
		c.say("  the record %s was merged into this one", from.Key)
	}
	c.sayTimes(u)
	c.say("\nGroups")
	for _, g := range u.Groups {
		c.say("  %-28s %s", g.Group.Key, strings.TrimSpace(g.Group.Label+" "+throughGroup(g)+" "+c.window(g.From, g.Until)))
	}
	if len(u.Groups) == 0 {
		c.say("  none")
	}
	c.say("\nRoles held directly")
	for _, a := range u.Assignments {
		c.say("  %-28s %s", a.Role.Key, strings.TrimSpace(a.Role.Label+" "+c.limits(a)+" "+given(a.Given)))
	}
	if len(u.Assignments) == 0 {
		c.say("  none")
	}
	return nil
}

func throughGroup(g wire.Membership) string {
	if g.Rule != "" {
		return "(chosen by " + g.Rule + ")"
	}
	if g.Through == nil {
		return ""
	}
	return "(through " + g.Through.Label + ")"
}

func given(g *wire.Given) string {
	if g == nil || g.At.IsZero() {
		return ""
	}
	by := "the host"
	if g.By != nil {
		by = g.By.Label
	}
	return fmt.Sprintf("· given by %s on %s: %s", by, g.At.Format("2 Jan 2006"), g.Reason)
}

// setFlags adds the option that sets declared attributes; give writes what was given into
// an operation.
func setFlags(c *call) (give func(op map[string]any) error) {
	var custom names
	c.flags.Var(&custom, "set", "a declared attribute: KEY=VALUE, blank after = to clear; may be given again")
	return func(op map[string]any) error {
		values := map[string]string{}
		for _, s := range custom {
			key, value, ok := strings.Cut(s, "=")
			if !ok {
				return &usageError{"-set is KEY=VALUE, such as cost_centre=4711"}
			}
			values[key] = value
		}
		if len(values) > 0 {
			op["custom"] = values
		}
		return nil
	}
}

func usersChange(c *call) error {
	o := c.operation("update_user", "user")
	give, unit := setFlags(c), newUnit(c)
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"user": c.args[0]})
	if err := give(op); err != nil {
		return err
	}
	if len(op) == 2 {
		return &usageError{"says nothing to change; give -unit, -title, -status …"}
	}
	ops, err := unit(op)
	if err != nil {
		return err
	}
	return change.make(c, append(ops, op)...)
}

func usersDepart(c *call) error {
	to := c.flags.String("hand-over-to", "", "user name of whoever takes over what they answer for, and the people who report to them")
	day := c.flags.String("last-day", "", "their last day, YYYY-MM-DD")
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	var ops []map[string]any
	if *to != "" {
		ops = append(ops, map[string]any{"op": "hand_over", "user": c.args[0], "to": *to})
	}
	op := map[string]any{"op": "update_user", "user": c.args[0], "status": "departed"}
	if *day != "" {
		op["end_date"] = *day
	}
	return change.make(c, append(ops, op)...)
}

func usersErase(c *call) error {
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "erase_user", "user": c.args[0]})
}

func usersAdd(c *call) error { return addUser(c, "") }

// addUser adds a user, with a status where one is given.
func addUser(c *call, status string) error {
	o := c.operation("add_user", "user_name", "status")
	give, unit := setFlags(c), newUnit(c)
	var roles, groups names
	c.flags.Var(&roles, "role", "a role to grant in the same change; may be given again")
	c.flags.Var(&groups, "group", "a group to put the user into in the same change; may be given again")
	change := c.changes()
	if err := c.parse("USER_NAME"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"user_name": c.args[0]})
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
		ops = append(ops, map[string]any{"op": "add_member", "group": g, "user": c.args[0]})
	}
	for _, r := range roles {
		ops = append(ops, map[string]any{"op": "grant", "role": r, "user": c.args[0]})
	}
	return change.make(c, ops...)
}
