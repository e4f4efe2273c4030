package main

import (
	"slices"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

func applicationsChange(c *call) error {
	o := c.operation("update_application", "application")
	change := c.changes()
	if err := c.parse("APPLICATION"); err != nil {
		return err
	}
	op, some := o.with(map[string]any{"application": c.args[0]})
	if !some {
		return &usageError{"says nothing to change; give -state, -owner, -direct-assignments …"}
	}
	if op["direct_assignments"] == "welcome" {
		op["direct_assignments"] = ""
	}
	return change.make(c, op)
}

func applicationsCoverage(c *call) error {
	c.reads()
	unreached := c.flags.Bool("unreached", false, "only what no role reaches; the exit code is 1 when there is anything")
	q, err := c.asked(client.Query{}, "APPLICATION")
	if err != nil {
		return err
	}
	v, err := c.client.Coverage(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	header := []string{"path"}
	for _, a := range v.Actions {
		header = append(header, a.Key)
	}
	var rows [][]string
	for _, r := range v.Rows {
		line := []string{r.Path}
		missing := false
		for i := range r.Cells {
			line = append(line, coverWords(&r.Cells[i], v.Roles))
			missing = missing || len(r.Cells[i].Roles) == 0
		}
		if missing || !*unreached {
			rows = append(rows, line)
		}
	}
	c.table(v, header, rows)
	c.say("%s of %d are reached by no role, %s by everybody%s.", count(v.Unreached, "cell"), len(v.Rows)*len(v.Actions), strconv.Itoa(v.Everybody), c.asOfWords(v.Basis))
	if v.Outside {
		c.say("Roles that you may not see may cover more.")
	}
	if *unreached && len(rows) > 0 {
		return errDenied
	}
	return nil
}

// coverWords says who reaches a cell: the roles by their own keys.
func coverWords(x *wire.CoverageCell, roles []wire.Ref) string {
	var out []string
	switch x.Everybody {
	case "public":
		out = append(out, "anybody")
	case "all-users":
		out = append(out, "every user")
	}
	for _, n := range x.Roles {
		_, key, ok := strings.Cut(roles[n].Key, "/")
		if !ok {
			key = roles[n].Key
		}
		out = append(out, key)
	}
	if len(out) == 0 && x.Fenced {
		return "fenced"
	}
	if len(out) == 0 {
		return "-"
	}
	text := strings.Join(out, ", ")
	if x.Own {
		text += " (own)"
	}
	return text
}

func applicationsCovered(c *call) error {
	c.reads()
	if err := c.parse("APPLICATION", "PATTERN"); err != nil {
		return err
	}
	q, err := c.at(client.Query{"pattern": c.args[1]})
	if err != nil {
		return err
	}
	v, err := c.client.Covered(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range v.Paths {
		rows = append(rows, []string{p})
	}
	if len(rows) > 0 || !c.people() {
		c.table(v, []string{"path"}, rows)
	}
	c.say("%s covers %s today, %s%s.", v.Pattern, count(v.Total, "registered resource"), v.Later, c.asOfWords(v.Basis))
	return nil
}

func applicationsCompare(c *call) error {
	asked := c.flags.Bool("asked", false, "what the application asked about and is not registered, too")
	register := c.flags.Bool("register", false, "register all that is missing")
	change := c.changes()
	if err := c.parseSome(1, "APPLICATION", "FILE"); err != nil {
		return err
	}
	in := wire.ComparisonRequest{Asked: *asked}
	if len(c.args) > 1 {
		raw, err := readFile(c, c.args[1])
		if err != nil {
			return err
		}
		in.Paths = strings.Split(strings.TrimRight(strings.ReplaceAll(string(raw), "\r\n", "\n"), "\n"), "\n")
	}
	v, err := c.client.Compare(c.ctx, c.args[0], in)
	if err != nil {
		return err
	}
	if *register && len(v.Operations) > 0 {
		change.basedOn = max(change.basedOn, v.Revision)
		return change.send(c, v.Operations)
	}
	var rows [][]string
	for _, m := range v.Missing {
		rows = append(rows, []string{"not registered", m.Path, strings.Join(m.Sisters, ", "), refs(m.Roles), times(m.Times)})
	}
	for _, p := range v.Unlisted {
		rows = append(rows, []string{"not on the list", p, "", "", ""})
	}
	if len(rows) > 0 || !c.people() {
		c.table(v, []string{"what", "path", "beside_it", "would_be_reached_by", "asked"}, rows)
	}
	if len(in.Paths) == 0 {
		c.say("%s asked about and not registered.", count(len(v.Missing), "path"))
	} else {
		c.say("Of the list %d are registered; %d not registered, %d registered and not on the list.", v.Matching, len(v.Missing), len(v.Unlisted))
	}
	if len(v.Missing) > 0 {
		c.say("-register registers what is missing.")
		return errDenied
	}
	return nil
}

func times(n int64) string {
	if n == 0 {
		return ""
	}
	return count(int(n), "time")
}

func applicationsGoingLive(c *call) error {
	if err := c.parse("APPLICATION"); err != nil {
		return err
	}
	v, err := c.client.GoingLive(c.ctx, c.args[0])
	if err != nil {
		return err
	}
	c.answer(v, func() {
		c.say("%s is %s. If it went live now:", v.Application.Label, v.State)
		c.say("  %s could do something in it, %s nothing.", count(v.With, "person"), strconv.Itoa(v.WithNothing))
		if len(v.Recorded)+len(v.NobodyAsked) > 0 {
			c.say("  Used in the rehearsal, and denied once live:")
		}
		for _, x := range slices.Concat(v.Recorded, v.NobodyAsked) {
			c.say("    %-24s %s %s  %s", x.User.Label, x.Action, x.Path, times(x.Times))
		}
		if len(v.Nobody) == 0 {
			c.say("  Nothing can be done without signing in. Is there a sign-in or an error screen?")
		}
		for _, x := range v.Nobody {
			c.say("  Nobody signed in could %s %s.", strings.Join(x.Actions, ", "), x.Path)
		}
		for _, x := range v.Unreached {
			c.say("  No role reaches %s.", x.Path)
		}
		for _, x := range v.Expectations {
			c.say("  It is expected that “%s”, which does not hold.", x.Label)
		}
	}, []string{"what", "who", "action", "on", "times"}, goingLiveRows(v)...)
	if len(v.Recorded)+len(v.NobodyAsked)+len(v.Expectations) > 0 {
		return errDenied
	}
	return nil
}

// goingLiveRows are what going live would deny, and who could do what of what
// should be looked at.
func goingLiveRows(v wire.GoingLive) [][]string {
	var out [][]string
	for _, x := range v.Recorded {
		out = append(out, []string{"denied", x.User.Key, x.Action, x.Path, strconv.FormatInt(x.Times, 10)})
	}
	for _, x := range v.NobodyAsked {
		out = append(out, []string{"denied to nobody signed in", "", x.Action, x.Path, strconv.FormatInt(x.Times, 10)})
	}
	for _, x := range v.Nobody {
		out = append(out, []string{"nobody signed in may", "", strings.Join(x.Actions, ";"), x.Path, ""})
	}
	for _, x := range v.Unreached {
		out = append(out, []string{"no role reaches", "", strings.Join(x.Actions, ";"), x.Path, ""})
	}
	for _, x := range v.Expectations {
		out = append(out, []string{"is expected and does not hold", "", x.Action, x.Pattern, ""})
	}
	return out
}

func rolesChange(c *call) error {
	o := c.operation("update_role", "role", "retired")
	back := c.flags.Bool("bring-back", false, "bring a retired role back")
	change := c.changes()
	if err := c.parse("ROLE"); err != nil {
		return err
	}
	op, some := o.with(map[string]any{"role": c.args[0]})
	if *back {
		op["retired"] = false
	}
	if !some && !*back {
		return &usageError{"says nothing to change; give -owner, -risk, -max-days …"}
	}
	return change.make(c, op)
}

func rolesCopy(c *call) error {
	label := c.flags.String("label", "", "what people call the copy")
	change := c.changes()
	if err := c.parse("ROLE", "NEW_KEY"); err != nil {
		return err
	}
	r, err := c.client.Role(c.ctx, c.args[0], nil)
	if err != nil {
		return err
	}
	app := ""
	if r.Application != nil {
		app = r.Application.Key
	}
	key := strings.TrimPrefix(c.args[1], app+"/")
	full := strings.TrimPrefix(app+"/"+key, "/")
	ops := []map[string]any{{"op": "add_role", "key": key, "application": app, "label": *label, "description": r.Description, "risk": r.Risk, "max_days": r.MaxDays}}
	for _, p := range r.Permissions {
		if p.Role.ID == r.ID {
			ops = append(ops, map[string]any{"op": "add_permission", "role": full, "application": p.Application.Key, "actions": p.Actions, "pattern": p.Pattern, "own": p.Own})
		}
	}
	for _, x := range r.Includes {
		ops = append(ops, map[string]any{"op": "include_role", "role": full, "includes": x.Key})
	}
	for _, op := range ops {
		for _, blank := range []string{"label", "description", "risk", "application"} {
			if op[blank] == "" {
				delete(op, blank)
			}
		}
	}
	change.basedOn = max(change.basedOn, r.Revision)
	return change.make(c, ops...)
}

func rolesCompare(c *call) error {
	c.reads()
	if err := c.parse("ROLE", "OTHER_ROLE"); err != nil {
		return err
	}
	q, err := c.at(client.Query{"with": c.args[1]})
	if err != nil {
		return err
	}
	v, err := c.client.CompareRoles(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range []struct {
		whose string
		lines []wire.Entitlement
	}{{"only " + v.Role.Label, v.Only}, {"only " + v.With.Label, v.OnlyOther}, {"both", v.Both}} {
		for _, l := range x.lines {
			rows = append(rows, []string{x.whose, l.Application.Label, l.Action, l.Target, strings.TrimPrefix(c.conditions(l.Own, l.Schedule, nil, nil, nil), ", ")})
		}
	}
	c.table(v, []string{"given_by", "application", "action", "resource", "when"}, rows)
	c.say("%s alone gives %d, %s alone %d, both %d%s.", v.Role.Label, len(v.Only), v.With.Label, len(v.OnlyOther), len(v.Both), c.asOfWords(v.Basis))
	return nil
}

// usersSetRoles makes the roles a user has directly those that are named, with
// only the differences made.
func usersSetRoles(c *call) error {
	change := c.changes()
	if err := c.parseSome(1, slices.Repeat([]string{"USER", "ROLE"}, 50)...); err != nil {
		return err
	}
	u, err := c.client.User(c.ctx, c.args[0], nil)
	if err != nil {
		return err
	}
	wanted := map[string]bool{}
	for _, r := range c.args[1:] {
		wanted[r] = true
	}
	var ops []map[string]any
	for _, a := range u.Assignments {
		switch plain := a.From == nil && a.Until == nil && len(a.Scopes) == 0 && a.Schedule == nil; {
		case a.Default != nil:
		case wanted[a.Role.Key] && plain:
			delete(wanted, a.Role.Key)
		case !wanted[a.Role.Key]:
			ops = append(ops, map[string]any{"op": "revoke", "assignment": a.ID})
		}
	}
	for _, r := range c.args[1:] {
		if wanted[r] {
			delete(wanted, r)
			ops = append(ops, map[string]any{"op": "grant", "user": u.UserName, "role": r})
		}
	}
	if len(ops) == 0 {
		c.say("%s has exactly these roles already. Nothing to change.", u.DisplayName)
		return nil
	}
	change.basedOn = max(change.basedOn, u.Revision)
	return change.make(c, ops...)
}
