package people

import (
	"strconv"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("shared-accounts list", "", "accounts that people use in turn: who has each, until when, and whether its secret was changed after use", SharedAccountsList)
	command.Add("shared-accounts set", "USER -custodian USER -group GROUP [-max-hours HOURS] [-emergency]", "make a machine account one that people use in turn, or edit how: all that is said of it", SharedAccountsSet)
	command.Add("shared-accounts end", "USER", "let nobody check a shared account out any more", sharedAccount("end_shared_account"))
	command.Add("shared-accounts check-out", "USER [-hours HOURS]", "check a shared account out for a time, with a reason", SharedAccountsCheckOut)
	command.Add("shared-accounts return", "USER", "return a shared account", sharedAccount("return_account"))
	command.Add("shared-accounts rotated", "USER", "say that the secret of a shared account was changed since it was returned", sharedAccount("confirm_rotation"))
	command.Add("shared-accounts tested", "USER", "say that a shared account was tested today", sharedAccount("record_account_test"))
}

func SharedAccountsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.SharedAccounts(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, a := range all.Accounts {
		custodian, kind, state, tested := "nobody", "shared", "free", a.Tested
		if a.Custodian != nil {
			custodian = a.Custodian.Label
		}
		if a.Emergency {
			kind = "emergency"
			if tested == "" {
				tested = "never"
			}
		}
		switch a.State {
		case "out":
			state = a.HeldBy.Label + " has it until " + a.Until.In(c.Zone()).Format("2 Jan 2006 15:04")
		case "overdue":
			state = a.HeldBy.Label + " was to return it by " + a.Until.In(c.Zone()).Format("2 Jan 2006 15:04")
		case "secret_used":
			state = "returned " + a.Returned.In(c.Zone()).Format("2 Jan 2006 15:04") + ", its secret is to be changed"
		}
		rows = append(rows, []string{a.User.Key, kind, a.Purpose, custodian, a.Group.Label, strconv.Itoa(a.MaxHours), state, tested, a.SecretAt})
	}
	c.Table(all, []string{"account", "kind", "purpose", "custodian", "group", "hours", "state", "tested", "secret_at"}, rows)
	if len(rows) == 0 {
		c.Say("There are no shared accounts that you may see or check out%s.", c.AsOfWords(all.Basis))
	}
	return nil
}

func SharedAccountsSet(c *command.Call) error {
	o := c.Operation("set_shared_account", "user")
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"user": c.Args[0]})
	return change.Make(c, op)
}

func SharedAccountsCheckOut(c *command.Call) error {
	hours := c.Flags.Int("hours", 0, "for so many hours; as long as it may be by default")
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	op := map[string]any{"op": "check_out_account", "user": c.Args[0]}
	if *hours > 0 {
		until, err := c.HoursOn("", *hours)
		if err != nil {
			return err
		}
		op["until"] = until
	}
	return change.Make(c, op)
}

// sharedAccount is a command that does one operation with an account.
func sharedAccount(verb string) func(*command.Call) error {
	return func(c *command.Call) error {
		change := c.Changes()
		if err := c.Parse("USER"); err != nil {
			return err
		}
		return change.Make(c, map[string]any{"op": verb, "user": c.Args[0]})
	}
}
