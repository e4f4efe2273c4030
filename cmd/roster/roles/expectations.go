package roles

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("expectations list", "[-broken] [-application APPLICATION]", "checks that must keep holding, and whether they do", ExpectationsList)
	command.Add("expectations set", "KEY may|may-not APPLICATION ACTION PATTERN (-user USER | -group GROUP [-except] | -nobody | -would-be unit=…,title=…)", "add an expectation", ExpectationsSet)
	command.Add("expectations end", "KEY", "end an expectation", ExpectationsEnd)
	command.Add("findings list", "[-code CODE] [-application APPLICATION] [-aside]", "findings: what looks wrong, why it matters, and how to mend it", FindingsList)
	command.Add("findings mend", "KEY", "make the change that mends a finding", FindingsMend)
	command.Add("findings set-aside", "KEY -until DAY", "set a finding aside until a day", FindingsSetAside)
	command.Add("findings show-again", "KEY", "show a finding again that was set aside", FindingsTakeUp)
}

func ExpectationsList(c *command.Call) error {
	c.Reads()
	broken := c.Flags.Bool("broken", false, "only those that do not hold; the exit code is 1 when there are any")
	app := c.Flags.String("application", "", "only those about this application")
	if err := c.Parse(); err != nil {
		return err
	}
	q, err := c.At(client.Query{"application": *app})
	if err != nil {
		return err
	}
	all, err := c.Client.Expectations(c.Ctx, q)
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
		rows = append(rows, []string{x.Key, state, kind, x.Label, brokenWords(c, x.Broken)})
	}
	if len(rows) > 0 || !c.People() {
		c.Table(all, []string{"expectation", "state", "kind", "what", "broken_by"}, rows)
	}
	if len(rows) == 0 && !*broken {
		c.Say("There are no expectations%s. roster expectations set writes one.", c.AsOfWords(all.Basis))
	} else {
		c.Say("%d of %s do not hold%s.", all.Broken, command.Count(len(all.Expectations), "expectation"), c.AsOfWords(all.Basis))
	}
	if *broken && len(rows) > 0 {
		return command.ErrDenied
	}
	return nil
}

// brokenWords says who breaks an expectation, since when and by what.
func brokenWords(c *command.Call, b *wire.Broken) string {
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
		out += ", since " + b.Since.In(c.Zone()).Format("2 Jan 2006")
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

func ExpectationsSet(c *command.Call) error {
	o := c.Operation("set_expectation", "key", "application", "action", "pattern", "may")
	newcomer := c.Flags.String("would-be", "", "or a new user who is like this, on their first day: \"unit=marine/pilotage,title=Harbour pilot\"")
	change := c.Changes()
	if err := c.Parse("KEY", "MAY|MAY-NOT", "APPLICATION", "ACTION", "PATTERN"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0], "application": c.Args[2], "action": c.Args[3], "pattern": c.Args[4]})
	if by, err := command.Described(*newcomer); err != nil {
		return err
	} else if by != nil {
		op["would_be"] = by
	}
	switch c.Args[1] {
	case "may":
		op["may"] = true
	case "may-not":
	default:
		return command.WrongUse(fmt.Sprintf("does not know “%s”: say may or may-not", c.Args[1]))
	}
	return change.Make(c, op)
}

func ExpectationsEnd(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_expectation", "expectation": c.Args[0]})
}

func FindingsList(c *command.Call) error {
	code := c.Flags.String("code", "", "only those of a kind, such as role_unheld")
	app := c.Flags.String("application", "", "only those in this application")
	aside := c.Flags.Bool("aside", false, "those set aside, instead of the others")
	limit := c.Flags.String("limit", "100", "at most so many")
	if err := c.Parse(); err != nil {
		return err
	}
	q := client.Query{"code": *code, "application": *app, "limit": *limit}
	if *aside {
		q["aside"] = "true"
	}
	all, err := c.Client.Findings(c.Ctx, q)
	if err != nil {
		return err
	}
	defer c.More(all.Next)
	if !c.People() {
		var rows [][]string
		for _, f := range all.Findings {
			rows = append(rows, []string{f.Key, f.Code, f.Message, f.MendWords})
		}
		c.Table(all, []string{"key", "code", "what", "mend"}, rows)
	} else {
		last := ""
		for _, f := range all.Findings {
			if f.Code != last {
				last = f.Code
				for _, k := range all.Kinds {
					if k.Code == f.Code {
						c.Say("%s (%s)\n  %s", k.Title, k.Code, k.Why)
					}
				}
			}
			c.Say("  • %s", f.Message)
			if f.Aside != nil {
				c.Say("      set aside until %s: %s", f.Aside.Until, f.Aside.Why)
			}
			c.Say("      %s.  %s", f.MendWords, f.Key)
		}
		switch {
		case all.Total == 0 && *aside:
			c.Say("Nothing is set aside.")
		case all.Total == 0:
			c.Say("Nothing looks wrong.")
		case *aside:
			c.Say("%s set aside.", command.Count(all.Total, "finding"))
		default:
			c.Say("%s. roster findings mend KEY makes the change; roster findings set-aside KEY -until DAY leaves one for later.", command.Count(all.Total, "finding"))
		}
	}
	if all.Total > 0 && !*aside {
		return command.ErrDenied
	}
	return nil
}

func FindingsMend(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	code, _, _ := strings.Cut(c.Args[0], ":")
	q := client.Query{"code": code, "limit": "500"}
	for {
		all, err := c.Client.Findings(c.Ctx, q)
		if err != nil {
			return err
		}
		for _, f := range all.Findings {
			if f.Key != c.Args[0] {
				continue
			}
			if len(f.Mend) == 0 {
				return command.WrongUse(fmt.Sprintf("no change of its own would mend it: %s. %s", f.Message, f.MendWords))
			}
			change.BasedOn = max(change.BasedOn, all.Revision)
			return change.Send(c, f.Mend)
		}
		if q["cursor"] = all.Next; all.Next == "" {
			return command.NotThere("there is no finding “%s” now; roster findings list has them", c.Args[0])
		}
	}
}

func FindingsSetAside(c *command.Call) error {
	until := c.Flags.String("until", "", "the last day it is left aside, as 2027-01-31")
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	if *until == "" {
		return command.WrongUse("say until which day with -until")
	}
	return change.Make(c, map[string]any{"op": "set_aside_finding", "findings": []string{c.Args[0]}, "until": *until})
}

func FindingsTakeUp(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "take_up_finding", "findings": []string{c.Args[0]}})
}
