package main

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

// usersCompare compares a user with a colleague, and copies what the colleague was
// given, all of it or chosen parts.
func usersCompare(c *call) error {
	c.reads()
	copies := c.flags.Bool("copy", false, "give the user what the colleague was given directly and the user was not")
	var only names
	c.flags.Var(&only, "only", "with -copy: this role or group alone; may be given again")
	change := c.changes()
	if err := c.parse("USER", "COLLEAGUE"); err != nil {
		return err
	}
	q, err := c.at(client.Query{})
	if err != nil {
		return err
	}
	x, err := c.client.CompareUsers(c.ctx, c.args[0], c.args[1], q)
	if err != nil {
		return err
	}
	if *copies {
		ops, err := chosenParts(x, only)
		if err != nil {
			return err
		}
		return change.make(c, ops...)
	}
	var rows [][]string
	for _, r := range x.Roles {
		rows = append(rows, []string{x.With.Label + " alone", "role", r.Assignment.Role.Key, c.limits(r.Assignment)})
	}
	for _, g := range x.Groups {
		rows = append(rows, []string{x.With.Label + " alone", "group", g.Membership.Group.Key, c.window(g.Membership.From, g.Membership.Until)})
	}
	for _, r := range x.OwnRoles {
		rows = append(rows, []string{x.User.Label + " alone", "role", r.Assignment.Role.Key, c.limits(r.Assignment)})
	}
	for _, g := range x.OwnGroups {
		rows = append(rows, []string{x.User.Label + " alone", "group", g.Membership.Group.Key, c.window(g.Membership.From, g.Membership.Until)})
	}
	for _, part := range []struct {
		who string
		all []wire.Entitlement
	}{{x.With.Label, x.Lacks}, {x.User.Label, x.Has}} {
		for _, e := range part.all {
			rows = append(rows, []string{part.who + " alone", "can", e.Action + " " + e.Target, e.Application.Label})
		}
	}
	c.table(x, []string{"who", "what", "name", "note"}, rows)
	c.say("Both can do %s. %s can do %d that %s cannot, and the other way round %d.", count(x.Both, "thing"), x.With.Label, len(x.Lacks), x.User.Label, len(x.Has))
	if len(x.Roles)+len(x.Groups) > 0 {
		c.say("roster users compare %s %s -copy -dry-run previews giving the same.", c.args[0], c.args[1])
	}
	return nil
}

// chosenParts are the operations that give what was chosen.
func chosenParts(x wire.UserComparison, only names) ([]map[string]any, error) {
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
			return nil, &usageError{fmt.Sprintf("%s was not given %s, or %s has it too", x.With.Label, k, x.User.Label)}
		}
	}
	if len(ops) == 0 {
		return nil, &usageError{x.User.Label + " has all that " + x.With.Label + " was given directly"}
	}
	return ops, nil
}

func groupsMembers(c *call) error {
	c.reads()
	text := c.flags.String("q", "", "text in the name or user name")
	if err := c.parse("GROUP"); err != nil {
		return err
	}
	q, err := c.at(client.Query{"q": *text, "limit": "500"})
	if err != nil {
		return err
	}
	all := wire.GroupMemberList{Members: []wire.GroupMember{}}
	for {
		page, err := c.client.GroupMembers(c.ctx, c.args[0], q)
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
		rows = append(rows, []string{m.User.Key, m.User.Label, memberWhy(m), c.window(m.From, m.Until)})
	}
	c.table(all, []string{"user_name", "name", "why", "window"}, rows)
	c.say("%s%s.", count(all.Total, "user"), c.asOfWords(all.Basis))
	return nil
}

func memberWhy(m wire.GroupMember) string {
	through := ""
	if len(m.Through) > 0 {
		through = " of " + labels(m.Through)
	}
	switch m.How {
	case "everybody":
		return "everybody is"
	case "rule":
		return strings.TrimSpace("chosen by the filter" + through + " " + m.Rule)
	case "group":
		var in []string
		for _, g := range m.Through {
			in = append(in, g.Label)
		}
		return "in the group " + strings.Join(in, ", in ")
	}
	return "listed"
}

func delegationsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Delegations(c.ctx, q)
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
			if i > 0 && c.people() {
				rows = append(rows, []string{"", "", w, ""})
				continue
			}
			rows = append(rows, []string{holder, h.Assignment.Role.Label, w, c.window(h.Assignment.From, h.Assignment.Until)})
		}
	}
	c.table(all, []string{"delegate", "role", "what", "window"}, rows)
	c.say("%s%s.", count(len(all.Delegations), "delegation"), c.asOfWords(all.Basis))
	return nil
}

func myAccess(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	m, err := c.client.MyAccess(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, l := range m.Access.Lines {
		state := c.window(l.From, l.Until)
		if l.Schedule != nil {
			state = strings.TrimSpace(l.Schedule.Words + " " + state)
		}
		why := ""
		if len(l.Paths) > 0 {
			why = pathWords(l.Paths[0])
		}
		rows = append(rows, []string{l.Application.Label, strings.Join(l.Actions, ", "), l.Pattern, state, why})
	}
	if c.people() {
		c.say("%s (%s) · %s", m.User.DisplayName, m.User.UserName, strings.Trim(m.User.Title+", "+m.User.Unit, ", "))
		if m.Manager != nil {
			c.say("Reports to %s", m.Manager.Label)
		}
		for _, p := range m.Parts {
			c.say("Here you %s.", p)
		}
		for _, a := range m.User.Assignments {
			c.say("%s %s", a.Role.Label, strings.TrimSpace(c.limits(a)+" "+given(a.Given)))
		}
	}
	c.table(m, []string{"application", "may", "what", "when", "why"}, rows)
	return nil
}

// settingsSecondPerson says for which changes a second person is needed.
func settingsSecondPerson(c *call) error {
	change := c.changes()
	own := c.flags.Bool("own-gains", false, "what its author gains")
	risk := c.flags.Bool("high-risk-roles", false, "changes that give a role of high risk")
	guards := c.flags.Bool("safeguards", false, "what weakens an SoD rule, an expectation or this setting")
	if err := c.parse(); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "set_second_person", "own_gains": *own, "high_risk_roles": *risk, "safeguards": *guards})
}

func settingsSignIn(c *call) error {
	change := c.changes()
	if err := c.parseSome(0, "GROUP"); err != nil {
		return err
	}
	op := map[string]any{"op": "set_sign_in"}
	if len(c.args) > 0 {
		op["group"] = c.args[0]
	}
	return change.make(c, op)
}
