package people

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("second-factor show", "", "whether your sign-in asks for a code beside the password", SecondFactorShow)
	command.Add("second-factor add", "[-code CODE]", "add an authenticator app; its first code is asked for", SecondFactorAdd)
	command.Add("second-factor remove", "CODE", "remove your second factor; a code proves that it is you", SecondFactorRemove)
	command.Add("second-factor recovery-codes", "CODE", "make new recovery codes, which replace the old ones; a code proves that it is you", SecondFactorCodes)
	command.Add("sessions list", "", "your sessions, by device", SessionsList)
	command.Add("sessions end", "SESSION", "end a session of yours", SessionsEnd)
	command.Add("users remove-second-factor", "USER", "remove the second factor of somebody who lost it; two administrators do so", UsersRemoveSecondFactor)
}

func SecondFactorShow(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	f, err := c.Client.SecondFactor(c.Ctx)
	if err != nil {
		return err
	}
	c.Answer(f, func() {
		switch {
		case f.Active:
			c.Say("A code is asked for when you sign in. %s left.", command.Count(f.RecoveryCodes, "recovery code"))
		case f.Needed:
			c.Say("You need a second factor before you can do anything else here: roster second-factor add adds one.")
		default:
			c.Say("You sign in by your password alone. roster second-factor add asks for a code, too.")
		}
	}, []string{"active", "needed", "recovery_codes"}, []string{strconv.FormatBool(f.Active), strconv.FormatBool(f.Needed), strconv.Itoa(f.RecoveryCodes)})
	return nil
}

func SecondFactorAdd(c *command.Call) error {
	code := c.Flags.String("code", "", "the first code of a secret that was made before; asked for without one")
	if err := c.Parse(); err != nil {
		return err
	}
	if *code == "" {
		f, err := c.Client.BeginSecondFactor(c.Ctx)
		if err != nil {
			return err
		}
		c.Say("Type this secret into an authenticator app:")
		c.Say("  %s", f.Secret)
		c.Say("or open it there as an address:")
		c.Say("  %s", f.Address)
		typed, err := c.Ask("The code that the app shows: ", false)
		if err != nil || strings.TrimSpace(typed) == "" {
			c.Say("Give its first code with roster second-factor add -code CODE. Until then nothing has changed.")
			if errors.Is(err, command.ErrInterrupted) {
				return err
			}
			return nil
		}
		*code = strings.TrimSpace(typed)
	}
	out, err := c.Client.ConfirmSecondFactor(c.Ctx, *code)
	if err != nil {
		return err
	}
	c.Say("A code is asked for from now on.")
	recoveryCodes(c, out)
	return nil
}

// recoveryCodes shows codes that are not shown again.
func recoveryCodes(c *command.Call, x wire.RecoveryCodes) {
	c.Answer(x, func() {
		c.Say("Keep these recovery codes apart from your phone. Each stands for one code, once, and they are not shown again:")
		for _, code := range x.Codes {
			c.Say("  %s", code)
		}
	}, []string{"codes"}, []string{strings.Join(x.Codes, " ")})
}

func SecondFactorRemove(c *command.Call) error {
	if err := c.Parse("CODE"); err != nil {
		return err
	}
	if err := c.Client.RemoveSecondFactor(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Say("Your second factor is removed: you sign in by your password alone.")
	return nil
}

func SecondFactorCodes(c *command.Call) error {
	if err := c.Parse("CODE"); err != nil {
		return err
	}
	out, err := c.Client.NewRecoveryCodes(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	recoveryCodes(c, out)
	return nil
}

func UsersRemoveSecondFactor(c *command.Call) error {
	if err := c.Parse("USER"); err != nil {
		return err
	}
	out, err := c.Client.HelpSecondFactor(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	c.Answer(out, func() {
		if out.Removed {
			c.Say("The second factor of %s is removed. They sign in by their password, and add another.", c.Args[0])
		} else {
			c.Say("Recorded. %s", out.Next)
		}
	}, []string{"removed", "next"}, []string{strconv.FormatBool(out.Removed), out.Next})
	return nil
}

func SessionsList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := c.Client.Sessions(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, s := range all.Sessions {
		rows = append(rows, []string{strconv.FormatInt(s.ID, 10), s.Device, s.Address, s.OpenedAt.In(c.Zone()).Format("2 Jan 2006 15:04"), s.UsedAt.In(c.Zone()).Format("2 Jan 2006 15:04"), s.ExpiresAt.In(c.Zone()).Format("2 Jan 2006 15:04")})
	}
	c.Table(all, []string{"session", "device", "address", "opened", "used", "until"}, rows)
	if len(rows) == 0 {
		c.Say("You have no session in a browser.")
	}
	return nil
}

func SessionsEnd(c *command.Call) error {
	if err := c.Parse("SESSION"); err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Args[0], 10, 64)
	if err != nil {
		return command.WrongUse(fmt.Sprintf("“%s” is no number of a session: roster sessions list has them", c.Args[0]))
	}
	if err := c.Client.EndSession(c.Ctx, id); err != nil {
		return err
	}
	c.Say("The session has ended.")
	return nil
}
