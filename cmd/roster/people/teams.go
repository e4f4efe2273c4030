package people

import (
	"fmt"
	"strconv"
	"time"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("team-rules list", "", "who may open teams, and what they may do in them", TeamRulesList)
	command.Add("team-rules set", "KEY -where FILTER [-label …] [-role ROLE]… [-people UNIT] [-invites -guest-unit UNIT …] [-max-members N]", "let some users open teams and manage them, or edit the rule: all that is said of it", TeamRulesSet)
	command.Add("team-rules end", "KEY", "let nobody open or manage teams by a rule any more; teams stay as they are", TeamRulesEnd)
	command.Add("teams list", "", "the teams that you may read, or are in", TeamsList)
	command.Add("teams show", "TEAM", "who is in a team, what it holds, and what it could be given", TeamsShow)
	command.Add("teams open", "KEY -rule RULE [-label …] [-owner USER]", "open a team: you manage it, and are in it", TeamsOpen)
	command.Add("teams add", "TEAM USER", "add somebody to a team", teamMember("add_member"))
	command.Add("teams remove", "TEAM USER", "remove somebody from a team", teamMember("remove_member"))
	command.Add("teams invite", "TEAM USER_NAME -name NAME -email ADDRESS", "invite somebody who has no account yet into a team that you manage", TeamsInvite)
	command.Add("teams close", "TEAM", "close a team: nobody is in it, and it holds no role, any more", TeamsClose)
}

func TeamRulesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.TeamRules(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Rules {
		guests, state := "nobody", "in use"
		if g := r.Guests; g != nil {
			guests = "people in " + g.Unit
			if g.Unit == "" {
				guests = "people"
			}
			if g.Days > 0 {
				guests += ", for " + strconv.Itoa(g.Days) + " days"
			}
		}
		if r.Ended {
			state = "ended"
		}
		rows = append(rows, []string{r.Key, r.Label, r.FilterWords, command.Labels(r.Roles), r.People, guests, strconv.Itoa(r.MaxMembers), strconv.Itoa(r.Teams), state})
	}
	c.Table(all, []string{"rule", "label", "opened_by", "roles", "people", "invites", "max_members", "teams", "state"}, rows)
	if len(rows) == 0 {
		c.Say("There are no team rules that you may read or open a team by%s.", c.AsOfWords(all.Basis))
	}
	return nil
}

func TeamRulesSet(c *command.Call) error {
	o := c.Operation("set_team_rule", "key")
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0]})
	return change.Make(c, op)
}

func TeamRulesEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_team_rule", "team_rule": c.Args[0]})
}

func TeamsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Teams(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all.Teams {
		rows = append(rows, []string{x.Group.Key, x.Group.Label, x.Rule.Label, teamOwner(x), strconv.Itoa(x.Count), teamState(x)})
	}
	c.Table(all, []string{"team", "label", "rule", "owner", "members", "state"}, rows)
	if len(rows) == 0 {
		c.Say("There are no teams that you may read, or are in%s. roster team-rules list tells by which rules you may open one.", c.AsOfWords(all.Basis))
	}
	return nil
}

func teamOwner(x wire.Team) string {
	if x.Owner == nil {
		return "nobody"
	}
	return x.Owner.Label
}

func teamState(x wire.Team) string {
	switch {
	case x.Closed:
		return "closed"
	case x.Rests != "":
		return "open; " + x.Rests
	}
	return "open"
}

func TeamsShow(c *command.Call) error {
	c.Reads()
	if err := c.Parse("TEAM"); err != nil {
		return err
	}
	q, err := c.At(client.Query{"group": c.Args[0]})
	if err != nil {
		return err
	}
	all, err := c.Client.Teams(c.Ctx, q)
	if err != nil {
		return err
	}
	x := all.Teams[0]
	var rows [][]string
	for _, m := range x.Members {
		what := "member"
		if m.Owner {
			what = "owner"
		}
		rows = append(rows, []string{what, m.User.Key, m.User.Label, m.Status})
	}
	for _, r := range x.Roles {
		state := "not given"
		switch {
		case r.Assignment != "" && !r.Chosen:
			state = "held; not of the rule"
		case r.Assignment != "":
			state = "held"
		}
		rows = append(rows, []string{"role", r.Role.Key, r.Role.Label, state})
	}
	c.Table(all, []string{"what", "key", "label", "state"}, rows)
	with := ""
	if x.Count > 0 {
		with = fmt.Sprintf(", with %d of at most %d members", x.Count, x.MaxMembers)
	}
	c.Say("%s is a team of the rule %s, managed by %s%s (%s).", x.Group.Label, x.Rule.Label, teamOwner(x), with, teamState(x))
	if x.Mine {
		c.Say("You manage it: roster teams add, remove and invite say who is in it, roster grant %s ROLE -to-group gives it a role, and roster revoke removes one.", x.Group.Key)
	}
	return nil
}

func TeamsOpen(c *command.Call) error {
	o := c.Operation("open_team", "key", "team_rule")
	rule := c.Flags.String("rule", "", "the team rule: key or id")
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0], "team_rule": *rule})
	return change.Make(c, op)
}

func TeamsInvite(c *command.Call) error {
	name := c.Flags.String("name", "", "what people call them")
	email := c.Flags.String("email", "", "their address: a link is mailed to it")
	change := c.Changes()
	if err := c.Parse("TEAM", "USER_NAME"); err != nil {
		return err
	}
	all, err := c.Client.Teams(c.Ctx, client.Query{"group": c.Args[0]})
	if err != nil {
		return err
	}
	g := all.Teams[0].Guests
	if g == nil {
		return fmt.Errorf("nobody is invited into a team like %s: add users by roster teams add", all.Teams[0].Group.Label)
	}
	add := map[string]any{"op": "add_user", "user_name": c.Args[1], "display_name": *name, "email": *email, "status": "invited", "unit": g.Unit, "employment_type": g.Employment, "company": g.Company}
	if g.Sponsor != nil && g.Sponsor.Key != "" {
		add["manager"] = g.Sponsor.Key
	}
	if g.Days > 0 {
		add["end_date"] = time.Now().In(c.Zone()).AddDate(0, 0, g.Days).Format(time.DateOnly)
	}
	return change.Make(c, add, map[string]any{"op": "add_member", "group": c.Args[0], "user": c.Args[1]})
}

// teamMember is a command that does one operation with somebody in a team.
func teamMember(verb string) func(*command.Call) error {
	return func(c *command.Call) error {
		change := c.Changes()
		if err := c.Parse("TEAM", "USER"); err != nil {
			return err
		}
		return change.Make(c, map[string]any{"op": verb, "group": c.Args[0], "user": c.Args[1]})
	}
}

func TeamsClose(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("TEAM"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "close_team", "group": c.Args[0]})
}
