package roles

import (
	"slices"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("users set-roles", "USER ROLE…", "set the roles that a user holds directly; only the differences are made", UsersSetRoles)
	command.Add("applications change", "APPLICATION [-state …] [-owner …] [-direct-assignments …]", "edit an application: go live, name its owner", ApplicationsChange)
	command.Add("applications coverage", "APPLICATION [-unreached]", "coverage: which roles cover what, what no role covers, what everybody reaches", ApplicationsCoverage)
	command.Add("applications covered", "APPLICATION PATTERN", "what a pattern covers today, and what it will", ApplicationsCovered)
	command.Add("applications compare", "APPLICATION [FILE] [-asked] [-register]", "how the application's own list of paths differs from what is registered", ApplicationsCompare)
	command.Add("applications going-live", "APPLICATION", "what would change if it went live now", ApplicationsGoingLive)
	command.Add("roles change", "ROLE [-owner …] [-risk …] [-max-days DAYS]", "edit a role: its owner, risk and limits", RolesChange)
	command.Add("roles copy", "ROLE NEW_KEY", "make a role that gives the same", RolesCopy)
	command.Add("roles compare", "ROLE OTHER_ROLE", "what each of two roles gives that the other does not", RolesCompare)
}

func ApplicationsChange(c *command.Call) error {
	o := c.Operation("update_application", "application")
	change := c.Changes()
	if err := c.Parse("APPLICATION"); err != nil {
		return err
	}
	op, some := o.With(map[string]any{"application": c.Args[0]})
	if !some {
		return command.WrongUse("says nothing to change; give -state, -owner, -direct-assignments …")
	}
	if op["direct_assignments"] == "welcome" {
		op["direct_assignments"] = ""
	}
	return change.Make(c, op)
}

func ApplicationsCoverage(c *command.Call) error {
	c.Reads()
	unreached := c.Flags.Bool("unreached", false, "only what no role reaches; the exit code is 1 when there is anything")
	q, err := c.Asked(client.Query{}, "APPLICATION")
	if err != nil {
		return err
	}
	v, err := c.Client.Coverage(c.Ctx, c.Args[0], q)
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
	c.Table(v, header, rows)
	c.Say("%s of %d are reached by no role, %s by everybody%s.", command.Count(v.Unreached, "cell"), len(v.Rows)*len(v.Actions), strconv.Itoa(v.Everybody), c.AsOfWords(v.Basis))
	if v.Outside {
		c.Say("Roles that you may not see may cover more.")
	}
	if *unreached && len(rows) > 0 {
		return command.ErrDenied
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

func ApplicationsCovered(c *command.Call) error {
	c.Reads()
	if err := c.Parse("APPLICATION", "PATTERN"); err != nil {
		return err
	}
	q, err := c.At(client.Query{"pattern": c.Args[1]})
	if err != nil {
		return err
	}
	v, err := c.Client.Covered(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range v.Paths {
		rows = append(rows, []string{p})
	}
	if len(rows) > 0 || !c.People() {
		c.Table(v, []string{"path"}, rows)
	}
	c.Say("%s covers %s today, %s%s.", v.Pattern, command.Count(v.Total, "registered resource"), v.Later, c.AsOfWords(v.Basis))
	return nil
}

func ApplicationsCompare(c *command.Call) error {
	asked := c.Flags.Bool("asked", false, "what the application asked about and is not registered, too")
	register := c.Flags.Bool("register", false, "register all that is missing")
	change := c.Changes()
	if err := c.ParseSome(1, "APPLICATION", "FILE"); err != nil {
		return err
	}
	in := wire.ComparisonRequest{Asked: *asked}
	if len(c.Args) > 1 {
		raw, err := command.ReadFile(c, c.Args[1])
		if err != nil {
			return err
		}
		in.Paths = strings.Split(strings.TrimRight(strings.ReplaceAll(string(raw), "\r\n", "\n"), "\n"), "\n")
	}
	v, err := c.Client.Compare(c.Ctx, c.Args[0], in)
	if err != nil {
		return err
	}
	if *register && len(v.Operations) > 0 {
		change.BasedOn = max(change.BasedOn, v.Revision)
		return change.Send(c, v.Operations)
	}
	var rows [][]string
	for _, m := range v.Missing {
		rows = append(rows, []string{"not registered", m.Path, strings.Join(m.Sisters, ", "), command.Refs(m.Roles), times(m.Times)})
	}
	for _, p := range v.Unlisted {
		rows = append(rows, []string{"not on the list", p, "", "", ""})
	}
	if len(rows) > 0 || !c.People() {
		c.Table(v, []string{"what", "path", "beside_it", "would_be_reached_by", "asked"}, rows)
	}
	if len(in.Paths) == 0 {
		c.Say("%s asked about and not registered.", command.Count(len(v.Missing), "path"))
	} else {
		c.Say("Of the list %d are registered; %d not registered, %d registered and not on the list.", v.Matching, len(v.Missing), len(v.Unlisted))
	}
	if len(v.Missing) > 0 {
		c.Say("-register registers what is missing.")
		return command.ErrDenied
	}
	return nil
}

func times(n int64) string {
	if n == 0 {
		return ""
	}
	return command.Count(int(n), "time")
}

func ApplicationsGoingLive(c *command.Call) error {
	if err := c.Parse("APPLICATION"); err != nil {
		return err
	}
	v, err := c.Client.GoingLive(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	c.Answer(v, func() {
		c.Say("%s is %s. If it went live now:", v.Application.Label, v.State)
		c.Say("  %s could do something in it, %s nothing.", command.Count(v.With, "person"), strconv.Itoa(v.WithNothing))
		if len(v.Recorded)+len(v.NobodyAsked) > 0 {
			c.Say("  Used in the rehearsal, and denied once live:")
		}
		for _, x := range slices.Concat(v.Recorded, v.NobodyAsked) {
			c.Say("    %-24s %s %s  %s", x.User.Label, x.Action, x.Path, times(x.Times))
		}
		if len(v.Nobody) == 0 {
			c.Say("  Nothing can be done without signing in. Is there a sign-in or an error screen?")
		}
		for _, x := range v.Nobody {
			c.Say("  Nobody signed in could %s %s.", strings.Join(x.Actions, ", "), x.Path)
		}
		for _, x := range v.Unreached {
			c.Say("  No role reaches %s.", x.Path)
		}
		for _, x := range v.Expectations {
			c.Say("  It is expected that “%s”, which does not hold.", x.Label)
		}
	}, []string{"what", "who", "action", "on", "times"}, goingLiveRows(v)...)
	if len(v.Recorded)+len(v.NobodyAsked)+len(v.Expectations) > 0 {
		return command.ErrDenied
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

func RolesChange(c *command.Call) error {
	o := c.Operation("update_role", "role", "retired")
	back := c.Flags.Bool("bring-back", false, "bring a retired role back")
	change := c.Changes()
	if err := c.Parse("ROLE"); err != nil {
		return err
	}
	op, some := o.With(map[string]any{"role": c.Args[0]})
	if *back {
		op["retired"] = false
	}
	if !some && !*back {
		return command.WrongUse("says nothing to change; give -owner, -risk, -max-days …")
	}
	return change.Make(c, op)
}

func RolesCopy(c *command.Call) error {
	label := c.Flags.String("label", "", "what people call the copy")
	change := c.Changes()
	if err := c.Parse("ROLE", "NEW_KEY"); err != nil {
		return err
	}
	r, err := c.Client.Role(c.Ctx, c.Args[0], nil)
	if err != nil {
		return err
	}
	app := ""
	if r.Application != nil {
		app = r.Application.Key
	}
	key := strings.TrimPrefix(c.Args[1], app+"/")
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
	change.BasedOn = max(change.BasedOn, r.Revision)
	return change.Make(c, ops...)
}

func RolesCompare(c *command.Call) error {
	c.Reads()
	if err := c.Parse("ROLE", "OTHER_ROLE"); err != nil {
		return err
	}
	q, err := c.At(client.Query{"with": c.Args[1]})
	if err != nil {
		return err
	}
	v, err := c.Client.CompareRoles(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range []struct {
		whose string
		lines []wire.Entitlement
	}{{"only " + v.Role.Label, v.Only}, {"only " + v.With.Label, v.OnlyOther}, {"both", v.Both}} {
		for _, l := range x.lines {
			rows = append(rows, []string{x.whose, l.Application.Label, l.Action, l.Target, strings.TrimLeft(c.Conditions(l.Own, l.Schedule, nil, nil, nil), ", ")})
		}
	}
	c.Table(v, []string{"given_by", "application", "action", "resource", "when"}, rows)
	c.Say("%s alone gives %d, %s alone %d, both %d%s.", v.Role.Label, len(v.Only), v.With.Label, len(v.OnlyOther), len(v.Both), c.AsOfWords(v.Basis))
	return nil
}

// UsersSetRoles makes the roles a user has directly those that are named, with
// only the differences made.
func UsersSetRoles(c *command.Call) error {
	change := c.Changes()
	if err := c.ParseSome(1, slices.Repeat([]string{"USER", "ROLE"}, 50)...); err != nil {
		return err
	}
	u, err := c.Client.User(c.Ctx, c.Args[0], nil)
	if err != nil {
		return err
	}
	wanted := map[string]bool{}
	for _, r := range c.Args[1:] {
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
	for _, r := range c.Args[1:] {
		if wanted[r] {
			delete(wanted, r)
			ops = append(ops, map[string]any{"op": "grant", "user": u.UserName, "role": r})
		}
	}
	if len(ops) == 0 {
		c.Say("%s has exactly these roles already. Nothing to change.", u.DisplayName)
		return nil
	}
	change.BasedOn = max(change.BasedOn, u.Revision)
	return change.Make(c, ops...)
}
