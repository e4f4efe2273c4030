package roles

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("users compare", "USER COLLEAGUE [-copy]", "what each user has that the other lacks; -copy gives USER the same", UsersCompare)
	command.Add("groups members", "GROUP", "who is in a group, at any depth, and why", GroupsMembers)
	command.Add("delegations list", "", "delegated administration: who may administer what, in plain words", DelegationsList)
	command.Add("my-access", "", "your access: each role with its reason, its end and who gave it", MyAccess)
	command.Add("settings sign-in", "[GROUP]", "let only the members of a group sign in; without a group, everybody who has a password or a token", SettingsSignIn)
	command.Add("settings move-reviews", "on|off", "set whether each move to another unit opens a review of what the user was given by hand, for their manager", SettingsMoveReviews)
	command.Add("settings second-person", "[-own-gains] [-high-risk-roles] [-safeguards]", "set for which changes a second person is needed; without options, for none", SettingsSecondPerson)
}

// UsersCompare compares a user with a colleague, and copies what the colleague was
// given, all of it or chosen parts.
func UsersCompare(c *command.Call) error {
	c.Reads()
	copies := c.Flags.Bool("copy", false, "give the user what the colleague was given directly and the user was not")
	var only command.Names
	c.Flags.Var(&only, "only", "with -copy: this role or group alone; may be given again")
	change := c.Changes()
	if err := c.Parse("USER", "COLLEAGUE"); err != nil {
		return err
	}
	q, err := c.At(client.Query{"with": c.Args[1]})
	if err != nil {
		return err
	}
	x, err := c.Client.CompareUsers(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	if *copies {
		ops, err := chosenParts(x, only)
		if err != nil {
			return err
		}
		return change.Make(c, ops...)
	}
	var rows [][]string
	for _, r := range x.Roles {
		rows = append(rows, []string{x.With.Label + " alone", "role", r.Assignment.Role.Key, command.LimitsOf(c, r.Assignment)})
	}
	for _, g := range x.Groups {
		rows = append(rows, []string{x.With.Label + " alone", "group", g.Membership.Group.Key, c.Window(g.Membership.From, g.Membership.Until)})
	}
	for _, r := range x.OwnRoles {
		rows = append(rows, []string{x.User.Label + " alone", "role", r.Assignment.Role.Key, command.LimitsOf(c, r.Assignment)})
	}
	for _, g := range x.OwnGroups {
		rows = append(rows, []string{x.User.Label + " alone", "group", g.Membership.Group.Key, c.Window(g.Membership.From, g.Membership.Until)})
	}
	for _, part := range []struct {
		who string
		all []wire.Entitlement
	}{{x.With.Label, x.Lacks}, {x.User.Label, x.Has}} {
		for _, e := range part.all {
			rows = append(rows, []string{part.who + " alone", "can", e.Action + " " + e.Target, e.Application.Label})
		}
	}
	c.Table(x, []string{"who", "what", "name", "note"}, rows)
	c.Say("Both can do %s. %s can do %d that %s cannot, and the other way round %d.", command.Count(x.Both, "thing"), x.With.Label, len(x.Lacks), x.User.Label, len(x.Has))
	if len(x.Roles)+len(x.Groups) > 0 {
		c.Say("roster users compare %s %s -copy -dry-run previews giving the same.", c.Args[0], c.Args[1])
	}
	return nil
}

// chosenParts are the operations that give what was chosen.
func chosenParts(x wire.UserComparison, only command.Names) ([]map[string]any, error) {
	var ops []map[string]any
	found := map[string]bool{}
	take := func(key string, op map[string]any) {
		for _, k := range only {
			if k == key {
				found[k] = true
			}
		}
		if len(only) == 0 || found[key] {
			ops = append(ops, op)
		}
	}
	for _, g := range x.Groups {
		take(g.Membership.Group.Key, g.Operation)
	}
	for _, r := range x.Roles {
		take(r.Assignment.Role.Key, r.Operation)
	}
	for _, k := range only {
		if !found[k] {
			return nil, command.WrongUse(fmt.Sprintf("%s was not given %s, or %s has it too", x.With.Label, k, x.User.Label))
		}
	}
	if len(ops) == 0 {
		return nil, command.WrongUse(x.User.Label + " has all that " + x.With.Label + " was given directly")
	}
	return ops, nil
}

func GroupsMembers(c *command.Call) error {
	c.Reads()
	text := c.Flags.String("q", "", "text in the name or user name")
	if err := c.Parse("GROUP"); err != nil {
		return err
	}
	q, err := c.At(client.Query{"q": *text, "limit": "500"})
	if err != nil {
		return err
	}
	all := wire.GroupMemberList{Members: []wire.GroupMember{}}
	for {
		page, err := c.Client.GroupMembers(c.Ctx, c.Args[0], q)
		if err != nil {
			return err
		}
		all.Basis, all.Total, all.Members = page.Basis, page.Total, append(all.Members, page.Members...)
		if page.Next == "" {
			break
		}
		q["cursor"] = page.Next
	}
	var rows [][]string
	for _, m := range all.Members {
		rows = append(rows, []string{m.User.Key, m.User.Label, command.MemberWhy(m), c.Window(m.From, m.Until)})
	}
	c.Table(all, []string{"user_name", "name", "why", "window"}, rows)
	c.Say("%s%s.", command.Count(all.Total, "user"), c.AsOfWords(all.Basis))
	return nil
}

func DelegationsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Delegations(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, h := range all.Delegations {
		holder := h.Assignment.Assignee.Label
		if h.Assignment.AssigneeKind == "group" {
			holder = "group " + holder
		}
		for i, w := range h.Words {
			if i > 0 && c.People() {
				rows = append(rows, []string{"", "", w, ""})
				continue
			}
			rows = append(rows, []string{holder, h.Assignment.Role.Label, w, c.Window(h.Assignment.From, h.Assignment.Until)})
		}
	}
	c.Table(all, []string{"delegate", "role", "what", "window"}, rows)
	c.Say("%s%s.", command.Count(len(all.Delegations), "delegation"), c.AsOfWords(all.Basis))
	return nil
}

func MyAccess(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	m, err := c.Client.MyAccess(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, l := range m.Access.Lines {
		state := c.Window(l.From, l.Until)
		if l.Schedule != nil {
			state = strings.TrimSpace(l.Schedule.Words + " " + state)
		}
		why := ""
		if len(l.Paths) > 0 {
			why = command.PathWords(l.Paths[0])
		}
		rows = append(rows, []string{l.Application.Label, strings.Join(l.Actions, ", "), l.Pattern, state, why})
	}
	if c.People() {
		c.Say("%s (%s) · %s", m.User.DisplayName, m.User.UserName, strings.Trim(m.User.Title+", "+m.User.Unit, ", "))
		if m.Manager != nil {
			c.Say("Reports to %s", m.Manager.Label)
		}
		if len(m.User.StandsInFor) > 0 {
			c.Say("You decide in the place of %s, now or later.", command.Labels(m.User.StandsInFor))
		}
		for _, x := range m.User.Substitutes {
			c.Say("%s decides in your place from %s to %s.", x.Substitute.Label, x.StartDate, x.EndDate)
		}
		for _, p := range m.Parts {
			c.Say("Here you %s.", p)
		}
		for _, a := range m.User.Assignments {
			c.Say("%s %s", a.Role.Label, strings.TrimSpace(command.LimitsOf(c, a)+" "+command.Given(a.Given)))
		}
	}
	c.Table(m, []string{"application", "may", "what", "when", "why"}, rows)
	return nil
}

// SettingsSecondPerson says for which changes a second person is needed.
func SettingsSecondPerson(c *command.Call) error {
	change := c.Changes()
	own := c.Flags.Bool("own-gains", false, "what its author gains")
	risk := c.Flags.Bool("high-risk-roles", false, "changes that give a role of high risk")
	guards := c.Flags.Bool("safeguards", false, "what weakens an SoD rule, an expectation or this setting")
	if err := c.Parse(); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "set_second_person", "own_gains": *own, "high_risk_roles": *risk, "safeguards": *guards})
}

// SettingsMoveReviews says whether each move opens a review.
func SettingsMoveReviews(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("on|off"); err != nil {
		return err
	}
	if c.Args[0] != "on" && c.Args[0] != "off" {
		return command.WrongUse("“" + c.Args[0] + "” is neither on nor off")
	}
	return change.Make(c, map[string]any{"op": "set_move_reviews", "on": c.Args[0] == "on"})
}

func SettingsSignIn(c *command.Call) error {
	change := c.Changes()
	if err := c.ParseSome(0, "GROUP"); err != nil {
		return err
	}
	op := map[string]any{"op": "set_sign_in"}
	if len(c.Args) > 0 {
		op["group"] = c.Args[0]
	}
	return change.Make(c, op)
}
