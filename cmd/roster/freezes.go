package main

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

func freezesList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Freezes(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, f := range all.Freezes {
		from := ""
		if !f.From.IsZero() {
			from = calendar.FromWords(f.From, c.zone())
		}
		through := labels(f.LetThrough)
		if f.LetThroughGroup != nil {
			through = strings.Trim(through+", members of "+f.LetThroughGroup.Label, ", ")
		}
		rows = append(rows, []string{f.Key, f.State, from, calendar.UntilWords(f.Until, c.zone()), frozenWords(f), through, f.Why})
	}
	c.table(all, []string{"freeze", "state", "from", "until", "what", "let_through", "why"}, rows)
	if len(rows) == 0 {
		c.say("There are no freezes%s. roster freezes set sets one.", c.asOfWords(all.Basis))
	}
	return nil
}

// frozenWords says what a freeze is about.
func frozenWords(f wire.Freeze) string {
	if len(f.Applications)+len(f.Units) == 0 {
		return "all"
	}
	what := labels(f.Applications)
	if len(f.Units) > 0 {
		what = strings.Trim(what+", people in "+strings.Join(f.Units, ", "), ", ")
	}
	return what
}

func freezesSet(c *call) error {
	o := c.operation("set_freeze", "key", "from", "until")
	from := c.flags.String("from", "", "a day or an instant from which it stands; now by default")
	until := c.flags.String("until", "", "its last day, or an instant until which it stands")
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"key": c.args[0]})
	if err := c.times(op, *from, *until); err != nil {
		return err
	}
	return change.make(c, op)
}

func freezesEnd(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_freeze", "freeze": c.args[0]})
}

// settingsReferences says what references look like, and where one is looked up.
func settingsReferences(c *call) error {
	change := c.changes()
	pattern := c.flags.String("pattern", "", "a regular expression (RE2) that a whole reference fits, such as TCK-[0-9]+")
	address := c.flags.String("address", "", "where one is looked up: an https address with {reference} in it")
	if err := c.parse(); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "set_references", "pattern": *pattern, "address": *address})
}

// stateOf says how far a pending change is, and what became of it.
func (c *call) stateOf(p wire.PendingChange) string {
	switch {
	case p.State == "saved":
		return "kept as " + p.Name
	case p.State == "dated":
		return "is made at " + p.Due.In(c.zone()).Format("2 Jan 2006 15:04")
	case p.State == "returned":
		return "was not made at " + p.Due.In(c.zone()).Format("2 Jan 2006 15:04") + ": " + p.Answer
	case p.State == "made" && p.EndedBy != nil:
		return fmt.Sprintf("made by %s, revision %d", p.EndedBy.Label, p.Revision)
	case p.State == "refused":
		return "refused by " + p.EndedBy.Label + ": " + p.Answer
	case p.Trouble != "":
		return "cannot be made now: " + p.Trouble
	}
	return p.State
}
