package people

import (
	"slices"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("machine-accounts list", "", "machine accounts: what each is for, who is accountable for it, and when its tokens end", MachineAccountsList)
	command.Add("machine-accounts rotate", "USER [-label LABEL] [-days N] [-overlap N]", "make a token of a machine account in the place of those it has, which end after an overlap; it is shown once", MachineAccountsRotate)
	command.Add("machine-accounts source", "USER [-attribute KEY]… [-overridable KEY]… [-filter FILTER]", "say which attributes of users come from a machine account, so that nobody else changes them; what is not said ends", MachineAccountsSource)
	command.Add("machine-accounts set", "USER -purpose TEXT -accountable USER,USER [-application APPLICATION] [-secret-at TEXT]", "say what a machine account is for, and which two people are accountable for it", MachineAccountsSet)
}

func MachineAccountsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.MachineAccounts(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, a := range all.Accounts {
		app, ends, used := "", "", ""
		if a.Application != nil {
			app = a.Application.Label
		}
		if a.Tokens > 0 {
			ends = command.Count(a.Tokens, "token") + ", without end"
			if a.TokenEnds != nil {
				ends = command.Count(a.Tokens, "token") + ", until " + a.TokenEnds.In(c.Zone()).Format("2 Jan 2006")
			}
		}
		if a.LastUsed != nil {
			used = a.LastUsed.In(c.Zone()).Format("2 Jan 2006")
		}
		purpose := a.Purpose
		if purpose == "" {
			purpose = "nobody has said"
		}
		from := strings.Join(slices.Concat(a.Attributes, a.Overridable), ", ")
		rows = append(rows, []string{a.User.Key, purpose, command.Labels(a.Accountable), app, ends, used, a.SecretAt, from})
	}
	c.Table(all, []string{"account", "purpose", "accountable", "application", "tokens", "last_used", "secret_at", "source_of"}, rows)
	if len(rows) == 0 {
		c.Say("There are no machine accounts that you may see%s.", c.AsOfWords(all.Basis))
	}
	return nil
}

func MachineAccountsRotate(c *command.Call) error {
	label := c.Flags.String("label", "", "in the place of those of this label alone")
	days := c.Flags.Int("days", 0, "how long the new one lasts; 90, or as long as one's own sign-in, where nothing is said")
	overlap := c.Flags.Int("overlap", 7, "days that those of before are good beside it")
	if err := c.Parse("USER"); err != nil {
		return err
	}
	out, err := c.Client.RotateTokens(c.Ctx, c.Args[0], wire.RotationRequest{Label: *label, Days: *days, OverlapDays: overlap})
	if err != nil {
		return err
	}
	if !c.People() {
		c.Table(out, []string{"account", "label", "expires_at", "secret"}, [][]string{{out.Token.User.Key, out.Token.Label, out.Token.ExpiresAt.UTC().Format(time.RFC3339), out.Token.Secret}})
		return nil
	}
	c.Say("A new token of %s (%s), good until %s. It is shown now and never again:", out.Token.User.Label, out.Token.Label, out.Token.ExpiresAt.In(c.Zone()).Format("2 Jan 2006"))
	c.Say("  %s", out.Token.Secret)
	if out.Ending > 0 {
		c.Say("%s of before: good until %s. Put the new one in its place before then.", command.Count(out.Ending, "token"), out.EndsAt.In(c.Zone()).Format("2 Jan 2006, 15:04"))
	}
	return nil
}

func MachineAccountsSet(c *command.Call) error {
	o := c.Operation("set_machine_account", "user", "accountable")
	by := c.Flags.String("accountable", "", "the two people who are accountable for it, with a comma between them")
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	var people []string
	for name := range strings.SplitSeq(*by, ",") {
		if name = strings.TrimSpace(name); name != "" {
			people = append(people, name)
		}
	}
	op, _ := o.With(map[string]any{"user": c.Args[0], "accountable": people})
	return change.Make(c, op)
}

func MachineAccountsSource(c *command.Call) error {
	o := c.Operation("set_attribute_source", "user")
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"user": c.Args[0]})
	return change.Make(c, op)
}
