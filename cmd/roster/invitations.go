package main

import (
	"strconv"

	"ableroster/client"
)

// usersInvite adds somebody who chooses a password themselves, and is active from then on.
func usersInvite(c *call) error { return addUser(c, "invited") }

func invitationsList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Invitations(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all.Invitations {
		by, until := "", ""
		if x.InvitedBy != nil {
			by = x.InvitedBy.Label
		}
		if x.ExpiresAt != nil {
			until = x.ExpiresAt.In(c.zone()).Format("2 Jan 2006 15:04")
		}
		mail := x.Mail
		if x.Said != "" {
			mail += ": " + x.Said
		}
		rows = append(rows, []string{x.User.Key, x.User.Label, x.Email, x.Unit, by, mail, until})
	}
	c.table(all, []string{"user", "name", "email", "unit", "invited_by", "mail", "good_until"}, rows)
	if len(rows) == 0 {
		c.say("Nobody is invited%s. roster users invite invites somebody.", c.asOfWords(all.Basis))
	}
	return nil
}

func invitationsResend(c *call) error {
	if err := c.parse("USER"); err != nil {
		return err
	}
	if err := c.client.ResendInvitation(c.ctx, c.args[0]); err != nil {
		return err
	}
	c.say("An invitation is on its way to %s. The link in the one before ends.", c.args[0])
	return nil
}

func invitationsWithdraw(c *call) error {
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "update_user", "user": c.args[0], "status": "departed"})
}

func mailList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	all, err := c.client.Mails(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, m := range all.Mails {
		by := ""
		if m.CausedBy != nil {
			by = m.CausedBy.Label
		}
		rows = append(rows, []string{m.MadeAt.In(c.zone()).Format("2 Jan 2006 15:04"), m.Kind, m.User.Label, by, m.State, strconv.Itoa(m.Tries), m.Said})
	}
	c.table(all, []string{"made", "kind", "to", "because_of", "state", "tries", "said"}, rows)
	if len(rows) == 0 {
		c.say("No mail was sent yet.")
	}
	return nil
}

func passwordReset(c *call) error {
	if err := c.parse("USER_NAME"); err != nil {
		return err
	}
	c.client.Token = "" // whoever forgot their password is not signed in
	if err := c.client.ResetPassword(c.ctx, c.args[0]); err != nil {
		return err
	}
	c.say("If there is such a user, a link to choose a new password is on its way to their address. It is good for an hour.")
	return nil
}
