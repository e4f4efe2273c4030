package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

// to names the holder of a role in an operation: a user, or a group.
func to(op map[string]any, name string, group bool) map[string]any {
	if group {
		op["group"] = name
	} else {
		op["user"] = name
	}
	return op
}

func grant(c *call) error {
	from := c.flags.String("from", "", "a day or an instant from which it holds")
	until := c.flags.String("until", "", "the last day, or an instant until which it holds")
	group := c.flags.Bool("to-group", false, "the holder is a group")
	var within names
	c.flags.Var(&within, "within", "gives only what a pattern covers, as application:pattern; may be given again")
	when := c.flags.String("schedule", "", "only at these times of the week, as \"mon,tue,fri 06:00-14:00 Europe/Lisbon\" (weekdays, weekends and every-day are days too)")
	change := c.changes()
	if err := c.parse("USER", "ROLE"); err != nil {
		return err
	}
	op := to(map[string]any{"op": "grant", "role": c.args[1]}, c.args[0], *group)
	if err := limits(op, within, *when); err != nil {
		return err
	}
	if err := c.times(op, *from, *until); err != nil {
		return err
	}
	return change.make(c, op)
}

var dayNames = map[string][]string{
	"weekdays":  {"mon", "tue", "wed", "thu", "fri"},
	"weekends":  {"sat", "sun"},
	"every-day": {"mon", "tue", "wed", "thu", "fri", "sat", "sun"},
}

// limits reads the scopes and the schedule of a grant.
func limits(op map[string]any, within names, when string) error {
	var scopes []map[string]string
	for _, w := range within {
		app, pattern, ok := strings.Cut(w, ":")
		if !ok || app == "" || pattern == "" {
			return &usageError{fmt.Sprintf("-within %q is not an application and a pattern, such as berth-planning:berths/north-*", w)}
		}
		scopes = append(scopes, map[string]string{"application": app, "pattern": pattern})
	}
	if scopes != nil {
		op["scopes"] = scopes
	}
	if when == "" {
		return nil
	}
	parts := strings.Fields(when)
	if len(parts) != 3 || !strings.Contains(parts[1], "-") {
		return &usageError{fmt.Sprintf("-schedule %q is not days, hours and a time zone, such as \"weekdays 06:00-14:00 Europe/Lisbon\"", when)}
	}
	days := dayNames[parts[0]]
	if days == nil {
		days = strings.Split(parts[0], ",")
	}
	from, until, _ := strings.Cut(parts[1], "-")
	op["schedule"] = map[string]any{"days": days, "from": from, "until": until, "time_zone": parts[2]}
	return nil
}

// change makes any change that is written down as JSON.
func change(c *call) error {
	x := c.changes()
	if err := c.parse("FILE"); err != nil {
		return err
	}
	raw, err := readFile(c, c.args[0])
	if err != nil {
		return err
	}
	var in struct {
		Operations []json.RawMessage `json:"operations"`
		Reason     string            `json:"reason"`
	}
	if err := json.Unmarshal(raw, &in); err != nil {
		return &usageError{fmt.Sprintf("%s is not a JSON object with operations: %v", c.args[0], err)}
	}
	if x.reason == "" {
		x.reason = in.Reason
	}
	return x.send(c, in.Operations)
}

// readFile reads a file, or standard input for "-".
func readFile(c *call, name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(c.in)
	}
	raw, err := os.ReadFile(name)
	if err != nil {
		return nil, &usageError{err.Error()}
	}
	return raw, nil
}

func revoke(c *call) error {
	group := c.flags.Bool("to-group", false, "the holder is a group")
	assignment := c.flags.String("assignment", "", "the id of the assignment, when the role is held there more than once")
	change := c.changes()
	if err := c.parse("USER", "ROLE"); err != nil {
		return err
	}
	if *assignment != "" {
		return change.make(c, map[string]any{"op": "revoke", "assignment": *assignment})
	}
	return change.make(c, to(map[string]any{"op": "revoke", "role": c.args[1]}, c.args[0], *group))
}

func rolesList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Roles(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Roles {
		rows = append(rows, []string{r.Key, r.Label, strconv.Itoa(r.HolderCount), refs(r.Includes), r.Description})
	}
	c.table(all, []string{"role", "label", "assignments", "includes", "description"}, rows)
	c.say("%s%s.", count(len(all.Roles), "role"), c.asOfWords(all.Basis))
	return nil
}

func refs(all []wire.Ref) string {
	var out []string
	for _, r := range all {
		out = append(out, first(r.Key, r.Label))
	}
	return strings.Join(out, ", ")
}

func rolesShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "ROLE")
	if err != nil {
		return err
	}
	r, err := c.client.Role(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	if c.output == "table" {
		c.say("%s (%s)%s", r.Label, r.Key, c.asOfWords(r.Basis))
		c.say("  %s", r.Description)
		if len(r.Includes) > 0 {
			c.say("  includes %s", refs(r.Includes))
		}
		c.say("\nPermissions")
		for _, p := range r.Permissions {
			by := ""
			if p.Role.ID != r.ID {
				by = "(from " + p.Role.Label + ")"
			}
			what := strings.Join(p.Actions, ", ") + " " + p.Pattern
			if p.Own {
				what += ", their own"
			}
			c.say("  %-18s %-28s %s", p.Application.Key, what, by)
		}
		if len(r.Permissions) == 0 {
			c.say("  none: it gives its holders nothing")
		}
		c.say("\nHeld by")
	}
	var rows [][]string
	for _, a := range r.Holders {
		rows = append(rows, []string{a.AssigneeKind, first(a.Assignee.Key, a.Assignee.Label), a.Assignee.Label, c.limits(a), refs(a.Through)})
	}
	if c.output == "table" && len(rows) == 0 {
		c.say("  nobody")
		return nil
	}
	c.table(r, []string{"kind", "holder", "name", "window", "granted_through"}, rows)
	return nil
}

func groupsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Groups(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, g := range all.Groups {
		rows = append(rows, []string{g.Key, g.Label, g.Unit, strconv.Itoa(g.MemberCount)})
	}
	c.table(all, []string{"group", "label", "unit", "members"}, rows)
	c.say("%s%s.", count(len(all.Groups), "group"), c.asOfWords(all.Basis))
	return nil
}

func groupsShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "GROUP")
	if err != nil {
		return err
	}
	g, err := c.client.Group(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	c.say("%s (%s)%s", g.Label, g.Key, c.asOfWords(g.Basis))
	if g.Filter != "" {
		c.say("  chooses %s (%s): %s now", g.FilterWords, g.Filter, count(g.Chosen, "user"))
	}
	for _, a := range g.Assignments {
		c.say("  gives %s %s", a.Role.Key, c.limits(a))
	}
	var rows [][]string
	for _, m := range g.Members {
		rows = append(rows, []string{m.MemberKind, m.Member.Key, m.Member.Label, c.window(m.From, m.Until)})
	}
	c.table(g, []string{"kind", "member", "name", "window"}, rows)
	return nil
}

func applicationsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Applications(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, a := range all.Applications {
		rows = append(rows, []string{a.Key, a.Label, a.State, a.Description})
	}
	c.table(all, []string{"application", "label", "state", "description"}, rows)
	return nil
}

func applicationsShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "APPLICATION")
	if err != nil {
		return err
	}
	a, err := c.client.Application(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var actions []string
	for _, x := range a.Actions {
		actions = append(actions, x.Key)
	}
	c.say("%s (%s), %s: %s", a.Label, a.Key, a.State, a.Description)
	c.say("  actions %s", strings.Join(actions, ", "))
	if a.TrialGroup != nil {
		c.say("  trial group %s", first(a.TrialGroup.Key, a.TrialGroup.Label))
	}
	for _, f := range a.Fences {
		c.say("  fence on %s for %s %s", f.Pattern, strings.Join(f.Actions, ", "), parenthesis(f.Why))
	}
	c.say("")
	var rows [][]string
	for _, r := range a.Resources {
		open := ""
		switch {
		case r.Retired:
			open = "retired"
		case r.Open:
			open = "open"
		}
		rows = append(rows, []string{r.Path, r.Kind, r.Label, open})
	}
	c.table(a, []string{"path", "kind", "label", "state"}, rows)
	return nil
}

func history(c *call) error {
	c.reads()
	user := c.flags.String("user", "", "only what speaks of this user")
	role := c.flags.String("role", "", "only what speaks of this role")
	group := c.flags.String("group", "", "only what speaks of this group")
	limit := c.flags.Int("limit", 20, "at most so many revisions")
	by := c.flags.String("by", "", "only what this user made")
	reference := c.flags.String("reference", "", "only what refers to this, such as the number of a ticket")
	via := c.flags.String("via", "", "only what was made this way: console, API, \"command line\", dated")
	var kinds names
	c.flags.Var(&kinds, "kind", "only what has an operation of this kind, such as grant; may be given again")
	from := c.flags.String("from", "", "only what was made on this day, or at this instant, or later")
	until := c.flags.String("until", "", "only what was made on this day or before it, or before this instant")
	if err := c.parse(); err != nil {
		return err
	}
	if *limit < 1 || *limit > 500 {
		return &usageError{"-limit is 1 to 500"}
	}
	between := map[string]any{}
	if err := c.times(between, *from, *until); err != nil {
		return err
	}
	asked := client.Query{"user": *user, "role": *role, "group": *group, "by": *by, "reference": *reference, "via": *via, "kind": strings.Join(kinds, ","), "limit": strconv.Itoa(*limit)}
	for name, t := range between {
		asked[name] = t.(string)
	}
	q, err := c.at(asked)
	if err != nil {
		return err
	}
	all, err := c.client.Revisions(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Revisions {
		by := "the host"
		if r.By != nil {
			by = r.By.Label
		}
		what := strings.Join(r.Sentences, "; ")
		if n := len(r.Sentences); n > 2 && c.people() {
			what = fmt.Sprintf("%s; %s; and %d more", r.Sentences[0], r.Sentences[1], n-2)
			if r.More {
				what = fmt.Sprintf("%s; %s; and more than %d more", r.Sentences[0], r.Sentences[1], n-2)
			}
		}
		rows = append(rows, []string{strconv.FormatInt(r.Revision, 10), r.At.In(c.zone()).Format("2 Jan 2006 15:04"), by, what, r.Reason, r.Reference})
	}
	if len(rows) == 0 && c.people() {
		c.say("No change fits%s.", c.asOfWords(all.Basis))
		return nil
	}
	c.table(all, []string{"revision", "at", "by", "what", "why", "reference"}, rows)
	return nil
}

func parenthesis(s string) string {
	if s == "" {
		return ""
	}
	return "(" + s + ")"
}

// limits are an assignment's window, scopes and schedule in words.
func (c *call) limits(a wire.Assignment) string {
	out := []string{}
	if w := c.window(a.From, a.Until); w != "" {
		out = append(out, w)
	}
	for _, s := range a.Scopes {
		out = append(out, "within "+s.Application.Key+":"+s.Pattern)
	}
	if a.Schedule != nil {
		out = append(out, a.Schedule.Words)
	}
	return strings.Join(out, ", ")
}
