package mailing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/mail"
	"ableroster/internal/request"
	"ableroster/internal/seeing"
)

// Deliver implements jobs.Deliver.
func (m *Mailing) Deliver(ctx context.Context, x *jobs.Mail) error {
	if x.Kind == SignUp {
		return m.signUp(ctx, x)
	}
	head, at := m.Service.Ledger.Head(), calendar.At(m.Service.Clock())
	u := head.User(x.User)
	if why := unsendable(u); why != "" {
		return &jobs.NotSentError{Why: why, Dropped: true}
	}
	data := map[string]any{"Organisation": head.Organisation().Name, "Name": seeing.Label(u), "UserName": u.UserName}
	by, lasts, powers := x.User, ResetLasts, []string(nil)
	switch x.Kind {
	case Invitation:
		if u.Status != fact.Invited {
			return &jobs.NotSentError{Why: "is invited no longer", Dropped: true}
		}
		by, lasts = x.By, InvitationLasts
		inviter := head.User(x.By)
		data["By"] = "your access administrator"
		if inviter != nil {
			data["By"] = seeing.Label(inviter)
		}
		data["Press"] = "Choose a password"
	case Reset:
		if !head.MaySignIn(x.User, at) {
			return &jobs.NotSentError{Why: "may not sign in now", Dropped: true}
		}
		// Whoever wrote the address could read the mail; a second factor keeps them out.
		second, err := m.Authenticator.HasSecond(ctx, x.User)
		if err == nil && !second {
			by, err = m.Service.Ledger.AddressBy(ctx, x.User)
		}
		if err != nil {
			return err
		}
		data["Press"] = "Choose a new password"
	case Digest:
		since, err := m.Service.Jobs.LastMailed(ctx, x.User, Digest)
		if err != nil {
			return err
		}
		news, none := m.digest(ctx, x.User, since)
		if none {
			return &jobs.NotSentError{Why: "there is nothing to tell any more", Dropped: true}
		}
		maps.Copy(data, news)
	default:
		return &jobs.NotSentError{Why: "there is no mail of kind " + x.Kind}
	}
	data["Link"] = m.Base + "/today"
	if x.Kind != Digest {
		if by != x.User && by != 0 {
			rights := change.AuthorityOf(head, by, at)
			for _, p := range change.Powers(head, x.User, at) {
				if !rights.Covers(p) {
					return &jobs.NotSentError{Why: "has rights that whoever invited them, or wrote their address, has not: somebody who has them must help", Dropped: true}
				}
				powers = append(powers, p.Text)
			}
		}
		code, expires, err := m.Authenticator.NewLink(ctx, x.User, by, powers, lasts, "")
		if err != nil {
			return err
		}
		data["Link"] = m.Base + "/sign-in-link#" + code
		data["Until"] = expires.In(head.Zone()).Format("2 January 2006, 15:04 (MST)")
	}
	subject, text, html, err := mail.Compose(language(head, u), x.Kind, data)
	if err != nil {
		return &jobs.NotSentError{Why: err.Error()}
	}
	return m.send(ctx, x, mail.Message{To: u.Email, ToName: seeing.Label(u), Subject: subject, Text: text, HTML: html})
}

// send sends a mail in the organisation's name.
func (m *Mailing) send(ctx context.Context, x *jobs.Mail, message mail.Message) error {
	message.ID, message.FromName = fmt.Sprintf("mail.%d.%d", x.ID, x.Made.Unix()), m.Service.Ledger.Head().Organisation().Name
	err := m.Sender.Send(ctx, message)
	if err == nil {
		return nil
	}
	// What went wrong is kept, and an address is not.
	said := strings.ReplaceAll(err.Error(), message.To, "their address")
	if refused := (*mail.RefusedError)(nil); errors.As(err, &refused) {
		return &jobs.NotSentError{Why: said}
	}
	return errors.New(said)
}

// unsendable says why nobody can be mailed at all, or nothing.
func unsendable(u *fact.User) string {
	switch {
	case u == nil || u.Erased:
		return "is not there"
	case u.Email == "":
		return "has no address"
	case u.UserKind != fact.Person:
		return "is no person"
	case u.Status == fact.Departed:
		return "has departed"
	}
	return ""
}

// language is the one that a user reads, or the default one.
func language(s *access.Snapshot, u *fact.User) string {
	return cmp.Or(request.LanguageOf(s, u.ID), mail.Default)
}
