package mailing

import (
	"context"
	"errors"

	"ableroster/internal/alike"
	"ableroster/internal/jobs"
	"ableroster/internal/mail"
	"ableroster/internal/record"
	"ableroster/internal/signin"
)

// signUp mails the link by which somebody signs up to the address they gave, or who they are there
// already. Nothing of what they typed besides is in it: the address may be somebody else's.
func (m *Mailing) signUp(ctx context.Context, x *jobs.Mail) error {
	head := m.Service.Ledger.Head()
	asked, err := m.Authenticator.SignUpAsked(ctx, x.SignUp)
	if errors.Is(err, signin.ErrLink) {
		return &jobs.NotSentError{Why: "asked again since, or too long ago", Dropped: true}
	}
	if err != nil {
		return err
	}
	if record.SignUpRuleFor(head, asked.Address) == nil {
		return &jobs.NotSentError{Why: "has an address by which nobody may sign up", Dropped: true}
	}
	kind, data := SignUp, map[string]any{"Organisation": head.Organisation().Name}
	if u := alike.WhoHas(head, asked.Address); u != nil {
		kind, data["UserName"], data["Link"] = signUpKnown, u.UserName, m.Base+"/today"
	} else {
		code, expires, err := m.Authenticator.SignUpLink(ctx, asked.ID)
		if errors.Is(err, signin.ErrLink) {
			return &jobs.NotSentError{Why: "asked again meanwhile", Dropped: true}
		}
		if err != nil {
			return err
		}
		data["Link"], data["Until"] = m.Base+"/sign-up#"+code, expires.In(head.Zone()).Format("2 January 2006, 15:04 (MST)")
	}
	subject, text, html, err := mail.Compose(mail.Default, kind, data)
	if err != nil {
		return &jobs.NotSentError{Why: err.Error()}
	}
	return m.send(ctx, x, mail.Message{To: asked.Address, Subject: subject, Text: text, HTML: html})
}
