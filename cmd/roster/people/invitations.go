package people

import (
	"strconv"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("password reset", "USER_NAME", "have a link mailed to one's own address, by which one chooses a new password", PasswordReset)
	command.Add("users invite", "USER_NAME -email ADDRESS [-name …] [-unit …] [-role ROLE]… [-group GROUP]…", "invite a user: a link is mailed by which they choose a password, and are active from then on", UsersInvite)
	command.Add("invitations list", "", "who was invited and has not taken it up, and what became of the mail", InvitationsList)
	command.Add("invitations resend", "USER", "mail an invitation again; the link in the one before ends", InvitationsResend)
	command.Add("invitations withdraw", "USER", "withdraw an invitation: the user is marked as departed", InvitationsWithdraw)
	command.Add("mail list", "", "the last mails, and what became of each", MailList)
}

// UsersInvite adds somebody who chooses a password themselves, and is active from then on.
func UsersInvite(c *command.Call) error { return addUser(c, "invited") }

func InvitationsList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Invitations(c.Ctx, q)
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
			until = x.ExpiresAt.In(c.Zone()).Format("2 Jan 2006 15:04")
		}
		mail := x.Mail
		if x.Said != "" {
			mail += ": " + x.Said
		}
		rows = append(rows, []string{x.User.Key, x.User.Label, x.Email, x.Unit, by, mail, until})
	}
	c.Table(all, []string{"user", "name", "email", "unit", "invited_by", "mail", "good_until"}, rows)
	if len(rows) == 0 {
		c.Say("Nobody is invited%s. roster users invite invites somebody.", c.AsOfWords(all.Basis))
	}
	return nil
}

func InvitationsResend(c *command.Call) error {
	if err := c.Parse("USER"); err != nil {
		return err
	}
	if err := c.Client.ResendInvitation(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Say("An invitation is on its way to %s. The link in the one before ends.", c.Args[0])
	return nil
}

func InvitationsWithdraw(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("USER"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "update_user", "user": c.Args[0], "status": "departed"})
}

func MailList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := c.Client.Mails(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, m := range all.Mails {
		by := ""
		if m.CausedBy != nil {
			by = m.CausedBy.Label
		}
		rows = append(rows, []string{m.MadeAt.In(c.Zone()).Format("2 Jan 2006 15:04"), m.Kind, m.User.Label, by, m.State, strconv.Itoa(m.Tries), m.Said})
	}
	c.Table(all, []string{"made", "kind", "to", "because_of", "state", "tries", "said"}, rows)
	if len(rows) == 0 {
		c.Say("No mail was sent yet.")
	}
	return nil
}

func PasswordReset(c *command.Call) error {
	if err := c.Parse("USER_NAME"); err != nil {
		return err
	}
	c.Client.Token = "" // whoever forgot their password is not signed in
	if err := c.Client.ResetPassword(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Say("If there is such a user, a link to choose a new password is on its way to their address. It is good for an hour.")
	return nil
}
