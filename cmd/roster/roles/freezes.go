package roles

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

func init() {
	command.Add("settings references", "[-pattern EXPRESSION] [-address URL]", "set what references to tickets look like, and where one is looked up; without options, any text", SettingsReferences)
	command.Add("freezes list", "", "freezes: times in which nobody changes access but who is let through", FreezesList)
	command.Add("freezes set", "KEY -why TEXT -until TIME [-from TIME] [-application APPLICATION]… [-unit UNIT]… [-let-through USER]…", "set a freeze, or edit the one with the key", FreezesSet)
	command.Add("freezes end", "KEY", "end a freeze: access may be changed again", FreezesEnd)
}

func FreezesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Freezes(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, f := range all.Freezes {
		from := ""
		if !f.From.IsZero() {
			from = calendar.FromWords(f.From, c.Zone())
		}
		through := command.Labels(f.LetThrough)
		if f.LetThroughGroup != nil {
			through = strings.Trim(through+", members of "+f.LetThroughGroup.Label, ", ")
		}
		rows = append(rows, []string{f.Key, f.State, from, calendar.UntilWords(f.Until, c.Zone()), frozenWords(f), through, f.Why})
	}
	c.Table(all, []string{"freeze", "state", "from", "until", "what", "let_through", "why"}, rows)
	if len(rows) == 0 {
		c.Say("There are no freezes%s. roster freezes set sets one.", c.AsOfWords(all.Basis))
	}
	return nil
}

// frozenWords says what a freeze is about.
func frozenWords(f wire.Freeze) string {
	if len(f.Applications)+len(f.Units) == 0 {
		return "all"
	}
	what := command.Labels(f.Applications)
	if len(f.Units) > 0 {
		what = strings.Trim(what+", people in "+strings.Join(f.Units, ", "), ", ")
	}
	return what
}

func FreezesSet(c *command.Call) error {
	o := c.Operation("set_freeze", "key", "from", "until")
	from := c.Flags.String("from", "", "a day or an instant from which it stands; now by default")
	until := c.Flags.String("until", "", "its last day, or an instant until which it stands")
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0]})
	if err := c.Times(op, *from, *until); err != nil {
		return err
	}
	return change.Make(c, op)
}

func FreezesEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_freeze", "freeze": c.Args[0]})
}

// SettingsReferences says what references look like, and where one is looked up.
func SettingsReferences(c *command.Call) error {
	change := c.Changes()
	pattern := c.Flags.String("pattern", "", "a regular expression (RE2) that a whole reference fits, such as TCK-[0-9]+")
	address := c.Flags.String("address", "", "where one is looked up: an https address with {reference} in it")
	if err := c.Parse(); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "set_references", "pattern": *pattern, "address": *address})
}

// stateOf says how far a pending change is, and what became of it.
func stateOf(c *command.Call, p wire.PendingChange) string {
	switch {
	case p.State == "saved":
		return "kept as " + p.Name
	case p.State == "dated":
		return "is made at " + p.Due.In(c.Zone()).Format("2 Jan 2006 15:04")
	case p.State == "returned":
		return "was not made at " + p.Due.In(c.Zone()).Format("2 Jan 2006 15:04") + ": " + p.Answer
	case p.State == "made" && p.EndedBy != nil:
		return fmt.Sprintf("made by %s, revision %d", p.EndedBy.Label, p.Revision)
	case p.State == "refused":
		return "refused by " + p.EndedBy.Label + ": " + p.Answer
	case p.Trouble != "":
		return "cannot be made now: " + p.Trouble
	}
	return p.State
}
