package people

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("defaults list", "", "the default rules: what new users get", DefaultsList)
	command.Add("defaults preview", "[-unit UNIT] [-title TITLE] …", "new-user preview: what a new user with these attributes would have, and why", DefaultsPreview)
	command.Add("defaults add", "KEY (-everybody | -where FILTER) [-role ROLE]… [-group GROUP]…", "add a default rule", DefaultsAdd)
	command.Add("defaults change", "KEY [-where FILTER] [-role ROLE]… [-group GROUP]…", "edit a default rule", DefaultsChange)
	command.Add("defaults end", "KEY", "end a default rule and remove what it gave", DefaultsEnd)
}

func DefaultsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Defaults(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, d := range all.Defaults {
		whom := d.Filter
		if d.Everybody {
			whom = "everybody"
		}
		state := "in force"
		if d.Ended {
			state = "ended"
		}
		owner := ""
		if d.Owner != nil {
			owner = d.Owner.Label
		}
		rows = append(rows, []string{strconv.Itoa(d.Order), d.Key, d.Label, whom, command.Labels(d.Roles), command.Labels(d.Groups), ruleWords(c, d), owner, command.Count(d.UserCount, "user"), state})
	}
	c.Table(all, []string{"order", "key", "label", "for", "roles", "groups", "limits", "owner", "gives_to", "state"}, rows)
	if len(rows) == 0 {
		c.Say("There are no default rules%s. roster defaults add writes one.", c.AsOfWords(all.Basis))
	}
	return nil
}

// ruleWords are what limits a default rule, in words.
func ruleWords(c *command.Call, d wire.Default) string {
	var out []string
	for _, s := range d.Scopes {
		out = append(out, "within "+s.Pattern+" of "+s.Application.Label)
	}
	if w := c.Window(d.From, d.Until); w != "" {
		out = append(out, w)
	}
	for _, x := range []struct {
		days int
		said string
	}{{d.AfterDays, "from %s after the first day"}, {d.LastsDays, "for %s"}, {d.OverlapDays, "%s longer after a move"}} {
		if x.days > 0 {
			out = append(out, fmt.Sprintf(x.said, command.Count(x.days, "day")))
		}
	}
	if d.Final {
		out = append(out, "no later rule gives to the same users")
	}
	return strings.Join(out, ", ")
}

func DefaultsPreview(c *command.Call) error {
	c.Reads()
	o := c.Operation("add_user", "user_name", "display_name", "email", "status", "manager")
	if err := c.Parse(); err != nil {
		return err
	}
	given, _ := o.With(nil)
	delete(given, "op")
	raw, _ := json.Marshal(given)
	q, err := c.At(client.Query{"would_be": string(raw)})
	if err != nil {
		return err
	}
	day, err := c.Client.NewUserPreview(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range day.Roles {
		rows = append(rows, []string{r.Role.Key, r.Role.Label, command.PathWords(r.Path)})
	}
	c.Table(day, []string{"role", "label", "because"}, rows)
	switch {
	case len(rows) == 0:
		c.Say("A new user like that would have no role%s.", c.AsOfWords(day.Basis))
	case c.People():
		c.Say("")
		for _, l := range day.Lines {
			c.Say("  %s: %s %s", l.Application.Label, strings.Join(l.Actions, ", "), l.Pattern)
		}
		c.Say("That is what a new user with these attributes would have on their first day%s.", c.AsOfWords(day.Basis))
	}
	return nil
}

func DefaultsAdd(c *command.Call) error {
	o := c.Operation("add_default", "key", "from", "until")
	limited := ruleLimits(c)
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0]})
	if err := limited(op); err != nil {
		return err
	}
	return change.Make(c, op)
}

func DefaultsChange(c *command.Call) error {
	o := c.Operation("update_default", "default", "from", "until")
	limited := ruleLimits(c)
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"default": c.Args[0]})
	if err := limited(op); err != nil {
		return err
	}
	if op["filter"] != nil && op["everybody"] == nil { // one takes the place of the other
		op["everybody"] = false
	}
	if op["everybody"] == true && op["filter"] == nil {
		op["filter"] = ""
	}
	return change.Make(c, op)
}

// ruleLimits are the options that say when a rule gives, and within what.
func ruleLimits(c *command.Call) func(op map[string]any) error {
	var within command.Names
	c.Flags.Var(&within, "within", "its roles give only what APPLICATION:PATTERN covers; {unit} or another attribute in braces stands for the user's value; may be given again")
	from := c.Flags.String("from", "", "a day or an instant from which it gives")
	until := c.Flags.String("until", "", "the last day on which it gives, or an instant")
	return func(op map[string]any) error {
		if err := c.Times(op, *from, *until); err != nil {
			return err
		}
		return command.Limits(op, within, "")
	}
}

func DefaultsEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_default", "default": c.Args[0]})
}
