package lists

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostMails bounds how many are told.
const mostMails = 200

// Mails are the last mails, to whoever may read the settings.
func Mails(ctx context.Context, v *seeing.View) (wire.MailList, error) {
	out := wire.MailList{Mails: []wire.Mail{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read which mails were sent")
	}
	all, err := v.Service.Jobs.Mails(ctx, 0, "", mostMails)
	for _, m := range all {
		x := wire.Mail{ID: m.ID, User: v.UserRef(m.User), Kind: m.Kind, Revision: m.Revision, State: m.State, Tries: m.Tries, Said: m.Said, MadeAt: m.Made.UTC()}
		if m.SignUp != 0 {
			x.User = wire.Ref{Label: "Somebody who signs up"}
		}
		if m.Ended != nil {
			at := m.Ended.UTC()
			x.EndedAt = &at
		}
		if m.By != 0 && m.By != m.User {
			by := v.UserRef(m.By)
			x.CausedBy = &by
		}
		out.Mails = append(out.Mails, x)
	}
	return out, err
}

// Invitations are the users who were invited and have not taken it up, of those the caller may
// read, with what became of the last mail to each; lasts is how long the link in one is good.
func Invitations(ctx context.Context, v *seeing.View) (wire.InvitationList, error) {
	out := wire.InvitationList{Basis: v.Basis(), Invitations: []wire.Invitation{}}
	mailed, err := v.Service.Jobs.LastMails(ctx, "invitation")
	if err != nil {
		return out, err
	}
	for u := range v.Uncut().Users() {
		if u.Status != fact.Invited || !v.ReadsUser(u.ID) {
			continue
		}
		x := wire.Invitation{User: v.UserRef(u.ID), Email: u.Email, Unit: u.Unit, Mail: "none"}
		if m, ok := mailed[u.ID]; ok {
			x.Mail, x.Said, x.Revision = m.State, m.Said, m.Revision
			if m.By != 0 {
				by := v.UserRef(m.By)
				x.InvitedBy = &by
			}
			if m.State == jobs.MailSent && m.Ended != nil {
				sent := m.Ended.UTC()
				ends := sent.Add(seeing.InvitationLasts)
				x.MailedAt, x.ExpiresAt = &sent, &ends
			}
		}
		out.Invitations = append(out.Invitations, x)
	}
	return out, nil
}
