package main

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

func expectationsList(c *call) error {
	c.reads()
	broken := c.flags.Bool("broken", false, "only those that do not hold; the exit code is 1 when there are any")
	app := c.flags.String("application", "", "only those about this application")
	if err := c.parse(); err != nil {
		return err
	}
	q, err := c.at(client.Query{"application": *app})
	if err != nil {
		return err
	}
	all, err := c.client.Expectations(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all.Expectations {
		if *broken && x.Broken == nil {
			continue
		}
		state := "holds"
		switch {
		case x.Ended:
			state = "ended"
		case x.Broken != nil:
			state = "broken"
		}
		kind := "warn"
		if x.Blocking {
			kind = "block"
		}
		rows = append(rows, []string{x.Key, state, kind, x.Label, c.brokenWords(x.Broken)})
	}
	if len(rows) > 0 || !c.people() {
		c.table(all, []string{"expectation", "state", "kind", "what", "broken_by"}, rows)
	}
	if len(rows) == 0 && !*broken {
		c.say("There are no expectations%s. roster expectations set writes one.", c.asOfWords(all.Basis))
	} else {
		c.say("%d of %s do not hold%s.", all.Broken, count(len(all.Expectations), "expectation"), c.asOfWords(all.Basis))
	}
	if *broken && len(rows) > 0 {
		return errDenied
	}
	return nil
}

// brokenWords says who breaks an expectation, since when and by what.
func (c *call) brokenWords(b *wire.Broken) string {
	if b == nil {
		return ""
	}
	var who []string
	for i, x := range b.By {
		if i == 3 {
			who = append(who, fmt.Sprintf("%d more", b.UserCount-3))
			break
		}
		who = append(who, x.User.Label)
	}
	if b.Outside {
		who = append(who, "perhaps others outside your part")
	}
	out := strings.Join(who, ", ")
	if b.Since != nil {
		out += ", since " + b.Since.In(c.zone()).Format("2 Jan 2006")
	}
	if b.Written {
		return out + ", when it was written"
	}
	if g := b.Change; g != nil {
		out += fmt.Sprintf(" by revision %d", g.Revision)
		if g.Reason != "" {
			out += " (" + g.Reason + ")"
		}
	}
	return out
}

func expectationsSet(c *call) error {
	o := c.operation("set_expectation", "key", "application", "action", "pattern", "may")
	change := c.changes()
	if err := c.parse("KEY", "MAY|MAY-NOT", "APPLICATION", "ACTION", "PATTERN"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"key": c.args[0], "application": c.args[2], "action": c.args[3], "pattern": c.args[4]})
	switch c.args[1] {
	case "may":
		op["may"] = true
	case "may-not":
	default:
		return &usageError{fmt.Sprintf("does not know “%s”: say may or may-not", c.args[1])}
	}
	return change.make(c, op)
}

func expectationsEnd(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "end_expectation", "expectation": c.args[0]})
}

func findingsList(c *call) error {
	code := c.flags.String("code", "", "only those of a kind, such as role_unheld")
	app := c.flags.String("application", "", "only those in this application")
	aside := c.flags.Bool("aside", false, "those set aside, instead of the others")
	limit := c.flags.String("limit", "100", "at most so many")
	if err := c.parse(); err != nil {
		return err
	}
	q := client.Query{"code": *code, "application": *app, "limit": *limit}
	if *aside {
		q["aside"] = "true"
	}
	all, err := c.client.Findings(c.ctx, q)
	if err != nil {
		return err
	}
	if !c.people() {
		var rows [][]string
		for _, f := range all.Findings {
			rows = append(rows, []string{f.Key, f.Code, f.Message, f.MendWords})
		}
		c.table(all, []string{"key", "code", "what", "mend"}, rows)
	} else {
		last := ""
		for _, f := range all.Findings {
			if f.Code != last {
				last = f.Code
				for _, k := range all.Kinds {
					if k.Code == f.Code {
						c.say("%s (%s)\n  %s", k.Title, k.Code, k.Why)
					}
				}
			}
			c.say("  • %s", f.Message)
			if f.Aside != nil {
				c.say("      set aside until %s: %s", f.Aside.Until, f.Aside.Why)
			}
			c.say("      %s.  %s", f.MendWords, f.Key)
		}
		switch {
		case all.Total == 0 && *aside:
			c.say("Nothing is set aside.")
		case all.Total == 0:
			c.say("Nothing looks wrong.")
		case *aside:
			c.say("%s set aside.", count(all.Total, "finding"))
		default:
			c.say("%s. roster findings mend KEY makes the change; roster findings set-aside KEY -until DAY leaves one for later.", count(all.Total, "finding"))
		}
	}
	if all.Total > 0 && !*aside {
		return errDenied
	}
	return nil
}

func findingsMend(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	code, _, _ := strings.Cut(c.args[0], ":")
	q := client.Query{"code": code, "limit": "500"}
	for {
		all, err := c.client.Findings(c.ctx, q)
		if err != nil {
			return err
		}
		for _, f := range all.Findings {
			if f.Key != c.args[0] {
				continue
			}
			if len(f.Mend) == 0 {
				return &usageError{fmt.Sprintf("no change of its own would mend it: %s. %s", f.Message, f.MendWords)}
			}
			change.basedOn = max(change.basedOn, all.Revision)
			return change.send(c, f.Mend)
		}
		if q["cursor"] = all.Next; all.Next == "" {
			return notThere("there is no finding “%s” now; roster findings list has them", c.args[0])
		}
	}
}

func findingsSetAside(c *call) error {
	until := c.flags.String("until", "", "the last day it is left aside, as 2027-01-31")
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	if *until == "" {
		return &usageError{"say until which day with -until"}
	}
	return change.make(c, map[string]any{"op": "set_aside_finding", "findings": []string{c.args[0]}, "until": *until})
}

func findingsTakeUp(c *call) error {
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "take_up_finding", "findings": []string{c.args[0]}})
}
