package main

import (
	"fmt"
	"strconv"
	"strings"

	"ableroster/wire"
)

func secondFactorShow(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	f, err := c.client.SecondFactor(c.ctx)
	if err != nil {
		return err
	}
	c.answer(f, func() {
		switch {
		case f.Active:
			c.say("A code is asked for when you sign in. %s left.", count(f.RecoveryCodes, "recovery code"))
		case f.Needed:
			c.say("You need a second factor before you can do anything else here: roster second-factor add adds one.")
		default:
			c.say("You sign in by your password alone. roster second-factor add asks for a code, too.")
		}
	}, []string{"active", "needed", "recovery_codes"}, []string{strconv.FormatBool(f.Active), strconv.FormatBool(f.Needed), strconv.Itoa(f.RecoveryCodes)})
	return nil
}

func secondFactorAdd(c *call) error {
	code := c.flags.String("code", "", "the first code of a secret that was made before; asked for without one")
	if err := c.parse(); err != nil {
		return err
	}
	if *code == "" {
		f, err := c.client.BeginSecondFactor(c.ctx)
		if err != nil {
			return err
		}
		c.say("Type this secret into an authenticator app:")
		c.say("  %s", f.Secret)
		c.say("or open it there as an address:")
		c.say("  %s", f.Address)
		typed, err := c.ask("The code that the app shows: ", false)
		if err != nil || strings.TrimSpace(typed) == "" {
			c.say("Give its first code with roster second-factor add -code CODE. Until then nothing has changed.")
			return nil
		}
		*code = strings.TrimSpace(typed)
	}
	out, err := c.client.ConfirmSecondFactor(c.ctx, *code)
	if err != nil {
		return err
	}
	c.say("A code is asked for from now on.")
	c.recoveryCodes(out)
	return nil
}

// recoveryCodes shows codes that are not shown again.
func (c *call) recoveryCodes(x wire.RecoveryCodes) {
	c.answer(x, func() {
		c.say("Keep these recovery codes apart from your phone. Each stands for one code, once, and they are not shown again:")
		for _, code := range x.Codes {
			c.say("  %s", code)
		}
	}, []string{"codes"}, []string{strings.Join(x.Codes, " ")})
}

func secondFactorRemove(c *call) error {
	if err := c.parse("CODE"); err != nil {
		return err
	}
	if err := c.client.RemoveSecondFactor(c.ctx, c.args[0]); err != nil {
		return err
	}
	c.say("Your second factor is removed: you sign in by your password alone.")
	return nil
}

func secondFactorCodes(c *call) error {
	if err := c.parse("CODE"); err != nil {
		return err
	}
	out, err := c.client.NewRecoveryCodes(c.ctx, c.args[0])
	if err != nil {
		return err
	}
	c.recoveryCodes(out)
	return nil
}

func usersRemoveSecondFactor(c *call) error {
	if err := c.parse("USER"); err != nil {
		return err
	}
	out, err := c.client.HelpSecondFactor(c.ctx, c.args[0])
	if err != nil {
		return err
	}
	c.answer(out, func() {
		if out.Removed {
			c.say("The second factor of %s is removed. They sign in by their password, and add another.", c.args[0])
		} else {
			c.say("Recorded. %s", out.Next)
		}
	}, []string{"removed", "next"}, []string{strconv.FormatBool(out.Removed), out.Next})
	return nil
}

func sessionsList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	all, err := c.client.Sessions(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, s := range all.Sessions {
		rows = append(rows, []string{strconv.FormatInt(s.ID, 10), s.Device, s.Address, s.OpenedAt.In(c.zone()).Format("2 Jan 2006 15:04"), s.UsedAt.In(c.zone()).Format("2 Jan 2006 15:04"), s.ExpiresAt.In(c.zone()).Format("2 Jan 2006 15:04")})
	}
	c.table(all, []string{"session", "device", "address", "opened", "used", "until"}, rows)
	if len(rows) == 0 {
		c.say("You have no session in a browser.")
	}
	return nil
}

func sessionsEnd(c *call) error {
	if err := c.parse("SESSION"); err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.args[0], 10, 64)
	if err != nil {
		return &usageError{fmt.Sprintf("“%s” is no number of a session: roster sessions list has them", c.args[0])}
	}
	if err := c.client.EndSession(c.ctx, id); err != nil {
		return err
	}
	c.say("The session has ended.")
	return nil
}
