package roles

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("groups list", "", "list groups", GroupsList)
	command.Add("groups show", "GROUP", "one group: its members and what it gives", GroupsShow)
	command.Add("applications list", "", "list applications", ApplicationsList)
	command.Add("applications show", "APPLICATION", "one application: its actions and resources", ApplicationsShow)
	command.Add("roles list", "", "list roles", RolesList)
	command.Add("roles show", "ROLE", "one role: permissions and holders", RolesShow)
	command.Add("grant", "USER ROLE [-from TIME] [-until TIME] [-within APPLICATION:PATTERN]… [-schedule …]", "grant a role (-to-group: USER is a group)", Grant)
	command.Add("revoke", "USER ROLE", "revoke a role (-to-group: USER is a group)", Revoke)
	command.Add("change", "FILE.json", "make a change written as JSON: {\"operations\": [{\"op\": …}], \"reason\": …}; - reads standard input", Change)
	command.Add("history", "[-user USER] [-by USER] [-reference TEXT] [-kind KIND]…", "the ledger, newest first", History)
}

// to names the holder of a role in an operation: a user, or a group.
func to(op map[string]any, name string, group bool) map[string]any {
	if group {
		op["group"] = name
	} else {
		op["user"] = name
	}
	return op
}

func Grant(c *command.Call) error {
	from := c.Flags.String("from", "", "a day or an instant from which it holds")
	until := c.Flags.String("until", "", "the last day, or an instant until which it holds")
	group := c.Flags.Bool("to-group", false, "the holder is a group")
	var within command.Names
	c.Flags.Var(&within, "within", "gives only what a pattern covers, as application:pattern; may be given again")
	when := c.Flags.String("schedule", "", "only at these times of the week, as \"mon,tue,fri 06:00-14:00 Europe/Lisbon\" (weekdays, weekends and every-day are days too)")
	change := c.Changes()
	if err := c.Parse("USER", "ROLE"); err != nil {
		return err
	}
	op := to(map[string]any{"op": "grant", "role": c.Args[1]}, c.Args[0], *group)
	if err := command.Limits(op, within, *when); err != nil {
		return err
	}
	if err := c.Times(op, *from, *until); err != nil {
		return err
	}
	return change.Make(c, op)
}

// Change makes any change that is written down as JSON.
func Change(c *command.Call) error {
	x := c.Changes()
	if err := c.Parse("FILE"); err != nil {
		return err
	}
	raw, err := command.ReadFile(c, c.Args[0])
	if err != nil {
		return err
	}
	var in struct {
		Operations []json.RawMessage `json:"operations"`
		Reason     string            `json:"reason"`
	}
	if err := json.Unmarshal(raw, &in); err != nil {
		return command.WrongUse(fmt.Sprintf("%s is not a JSON object with operations: %v", c.Args[0], err))
	}
	if x.Reason == "" {
		x.Reason = in.Reason
	}
	return x.Send(c, in.Operations)
}

func Revoke(c *command.Call) error {
	group := c.Flags.Bool("to-group", false, "the holder is a group")
	assignment := c.Flags.String("assignment", "", "the id of the assignment, when the role is held there more than once")
	change := c.Changes()
	if err := c.Parse("USER", "ROLE"); err != nil {
		return err
	}
	if *assignment != "" {
		return change.Make(c, map[string]any{"op": "revoke", "assignment": *assignment})
	}
	return change.Make(c, to(map[string]any{"op": "revoke", "role": c.Args[1]}, c.Args[0], *group))
}

func RolesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Roles(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Roles {
		rows = append(rows, []string{r.Key, r.Label, strconv.Itoa(r.HolderCount), command.Refs(r.Includes), r.Description})
	}
	c.Table(all, []string{"role", "label", "assignments", "includes", "description"}, rows)
	c.Say("%s%s.", command.Count(len(all.Roles), "role"), c.AsOfWords(all.Basis))
	return nil
}

func RolesShow(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "ROLE")
	if err != nil {
		return err
	}
	r, err := c.Client.Role(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	if c.Output == "table" {
		c.Say("%s (%s)%s", r.Label, r.Key, c.AsOfWords(r.Basis))
		c.Say("  %s", r.Description)
		if len(r.Includes) > 0 {
			c.Say("  includes %s", command.Refs(r.Includes))
		}
		c.Say("\nPermissions")
		for _, p := range r.Permissions {
			by := ""
			if p.Role.ID != r.ID {
				by = "(from " + p.Role.Label + ")"
			}
			what := strings.Join(p.Actions, ", ") + " " + p.Pattern
			if p.Own {
				what += ", their own"
			}
			c.Say("  %-18s %-28s %s", p.Application.Key, what, by)
		}
		if len(r.Permissions) == 0 {
			c.Say("  none: it gives its holders nothing")
		}
		c.Say("\nHeld by")
	}
	var rows [][]string
	for _, a := range r.Holders {
		rows = append(rows, []string{a.AssigneeKind, command.First(a.Assignee.Key, a.Assignee.Label), a.Assignee.Label, command.LimitsOf(c, a), command.Refs(a.Through)})
	}
	if c.Output == "table" && len(rows) == 0 {
		c.Say("  nobody")
		return nil
	}
	c.Table(r, []string{"kind", "holder", "name", "window", "granted_through"}, rows)
	return nil
}

func GroupsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Groups(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, g := range all.Groups {
		rows = append(rows, []string{g.Key, g.Label, g.Unit, strconv.Itoa(g.MemberCount)})
	}
	c.Table(all, []string{"group", "label", "unit", "members"}, rows)
	c.Say("%s%s.", command.Count(len(all.Groups), "group"), c.AsOfWords(all.Basis))
	return nil
}

func GroupsShow(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "GROUP")
	if err != nil {
		return err
	}
	g, err := c.Client.Group(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	c.Say("%s (%s)%s", g.Label, g.Key, c.AsOfWords(g.Basis))
	if g.Filter != "" {
		c.Say("  chooses %s (%s): %s now", g.FilterWords, g.Filter, command.Count(g.Chosen, "user"))
	}
	for _, a := range g.Assignments {
		c.Say("  gives %s %s", a.Role.Key, command.LimitsOf(c, a))
	}
	var rows [][]string
	for _, m := range g.Members {
		rows = append(rows, []string{m.MemberKind, m.Member.Key, m.Member.Label, c.Window(m.From, m.Until)})
	}
	c.Table(g, []string{"kind", "member", "name", "window"}, rows)
	return nil
}

func ApplicationsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Applications(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, a := range all.Applications {
		rows = append(rows, []string{a.Key, a.Label, a.State, a.Description})
	}
	c.Table(all, []string{"application", "label", "state", "description"}, rows)
	return nil
}

func ApplicationsShow(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "APPLICATION")
	if err != nil {
		return err
	}
	a, err := c.Client.Application(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var actions []string
	for _, x := range a.Actions {
		actions = append(actions, x.Key)
	}
	c.Say("%s (%s), %s: %s", a.Label, a.Key, a.State, a.Description)
	c.Say("  actions %s", strings.Join(actions, ", "))
	if a.TrialGroup != nil {
		c.Say("  trial group %s", command.First(a.TrialGroup.Key, a.TrialGroup.Label))
	}
	for _, f := range a.Fences {
		c.Say("  fence on %s for %s %s", f.Pattern, strings.Join(f.Actions, ", "), command.Parenthesis(f.Why))
	}
	c.Say("")
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
	c.Table(a, []string{"path", "kind", "label", "state"}, rows)
	return nil
}

func History(c *command.Call) error {
	c.Reads()
	user := c.Flags.String("user", "", "only what speaks of this user")
	role := c.Flags.String("role", "", "only what speaks of this role")
	group := c.Flags.String("group", "", "only what speaks of this group")
	limit := c.Flags.Int("limit", 20, "at most so many revisions")
	by := c.Flags.String("by", "", "only what this user made")
	reference := c.Flags.String("reference", "", "only what refers to this, such as the number of a ticket")
	via := c.Flags.String("via", "", "only what was made this way: console, API, \"command line\", dated")
	var kinds command.Names
	c.Flags.Var(&kinds, "kind", "only what has an operation of this kind, such as grant; may be given again")
	from := c.Flags.String("from", "", "only what was made on this day, or at this instant, or later")
	until := c.Flags.String("until", "", "only what was made on this day or before it, or before this instant")
	if err := c.Parse(); err != nil {
		return err
	}
	if *limit < 1 || *limit > 500 {
		return command.WrongUse("-limit is 1 to 500")
	}
	between := map[string]any{}
	if err := c.Times(between, *from, *until); err != nil {
		return err
	}
	asked := client.Query{"user": *user, "role": *role, "group": *group, "by": *by, "reference": *reference, "via": *via, "kind": strings.Join(kinds, ","), "limit": strconv.Itoa(*limit)}
	for name, t := range between {
		asked[name] = t.(string)
	}
	q, err := c.At(asked)
	if err != nil {
		return err
	}
	all, err := c.Client.Revisions(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Revisions {
		by := "the host"
		if r.By != nil {
			by = r.By.Label
			if r.Account != nil {
				by += " through " + r.Account.Label
			}
		}
		what := strings.Join(r.Sentences, "; ")
		if n := len(r.Sentences); n > 2 && c.People() {
			what = fmt.Sprintf("%s; %s; and %d more", r.Sentences[0], r.Sentences[1], n-2)
			if r.More {
				what = fmt.Sprintf("%s; %s; and many more", r.Sentences[0], r.Sentences[1])
			}
		}
		rows = append(rows, []string{strconv.FormatInt(r.Revision, 10), r.At.In(c.Zone()).Format("2 Jan 2006 15:04"), by, what, r.Reason, r.Reference})
	}
	if len(rows) == 0 && c.People() {
		c.Say("No change fits%s.", c.AsOfWords(all.Basis))
		return nil
	}
	c.Table(all, []string{"revision", "at", "by", "what", "why", "reference"}, rows)
	c.More(all.Next)
	return nil
}
