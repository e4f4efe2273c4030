package questions

import (
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("view-as", "USER | - | -would-be unit=…,title=…", "what somebody can do in each application; - is nobody signed in", ViewAs)
}

func ViewAs(c *command.Call) error {
	c.Reads()
	newcomer := c.Flags.String("would-be", "", "somebody who is not there yet, as \"unit=marine/pilotage,title=Harbour pilot,employment_type=staff\"")
	if err := c.ParseSome(0, "USER"); err != nil {
		return err
	}
	q := client.Query{}
	switch {
	case *newcomer != "":
		text, err := described(*newcomer)
		if err != nil {
			return err
		}
		q["would_be"] = text
	case len(c.Args) == 0:
		return command.WrongUse("name the user, say - for nobody signed in, or give -would-be")
	case c.Args[0] == "-":
		q["nobody"] = "true"
	default:
		q["user"] = c.Args[0]
	}
	q, err := c.At(q)
	if err != nil {
		return err
	}
	v, err := c.Client.ViewAs(c.Ctx, q)
	if err != nil {
		return err
	}
	c.Say("As %s%s. Read only; that you looked is recorded.", v.Who.Label, c.AsOfWords(v.Basis))
	var rows [][]string
	for _, a := range v.Applications {
		if len(a.Shows) == 0 && c.People() {
			rows = append(rows, []string{a.Application.Label, "nothing", "", "0 of " + strconv.Itoa(a.Total)})
		}
		for i, x := range a.Shows {
			name, of := "", ""
			if i == 0 || !c.People() {
				name = a.Application.Label
				of = strconv.Itoa(len(a.Shows)) + " of " + strconv.Itoa(a.Total)
			}
			may := append([]string{}, x.Actions...)
			for _, own := range x.Own {
				may = append(may, own+" (own)")
			}
			rows = append(rows, []string{name, x.Path, strings.Join(may, ", "), of})
		}
	}
	c.Table(v, []string{"application", "path", "may", "resources"}, rows)
	if len(v.Registers) > 0 {
		c.Say("In Able Roster: %s.", strings.Join(v.Registers, ", "))
	}
	if v.Outside {
		c.Say("There may be more in applications that you may not see.")
	}
	return nil
}
