package account

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/lists"
	"ableroster/internal/mailing"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// noMail is the answer where no mail server is set.
func noMail() error {
	return &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotFound, Title: "Not found", Status: 404, Detail: "No mail is sent here: no mail server is set (rosterd serve -mail-server). Ask your access administrator for a sign-in link."}}
}

func mailRoutes(s *serve.Server) {
	type reset struct{ Body wire.ResetRequest }
	serve.Route(s, "POST", "/password-reset", "reset-password", "Have a link mailed to one's own address, by which one sets a new password; the answer does not tell who is there", func(ctx context.Context, in *reset) (*serve.None, error) {
		if !s.Options.Mail {
			return nil, noMail()
		}
		who := who(ctx, s, in.Body.UserName)
		try := signin.Try{Account: "mail " + fact.Fold(in.Body.UserName), Address: who.Address}
		if !s.Authenticator.Mailed.Begin(s.Service.Clock(), try) {
			wait := int(s.Authenticator.Mailed.Wait(s.Service.Clock(), try).Seconds()) + 1
			return nil, &serve.Problem{RetryAfter: wait, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429, Detail: "That was asked for several times just now. Look among your mails, or wait a while."}}
		}
		s.Authenticator.Record(ctx, signin.Event{Event: "password reset asked for", User: who.User, Address: who.Address})
		// Of a name that is nobody's there is a mail, too, which is then dropped: it takes as long.
		return &serve.None{}, s.Service.Jobs.QueueMail(ctx, jobs.Mail{User: who.User, Kind: mailing.Reset, By: who.User})
	}, serve.Anybody, serve.Small, serve.Status(202))
	serve.Route(s, "GET", "/invitations", "list-invitations", "Users who were invited and have not taken it up, and what became of the mail to each", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.InvitationList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.Invitations(ctx, v)
		return serve.Answer(out), err
	}, serve.Heavy)
	type one struct {
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "POST", "/users/{user}/invitation", "resend-invitation", "Mail an invitation again; the link in the one before ends", func(ctx context.Context, in *one) (*serve.None, error) {
		if !s.Options.Mail {
			return nil, noMail()
		}
		v := s.Service.Now(ctx, serve.Caller(ctx))
		id, err := questions.InviteAgain(v, in.User)
		if err != nil {
			return nil, err
		}
		switch u := v.UncutToday().User(id); {
		case u.Status != fact.Invited:
			return nil, seeing.Refused("%s is not invited, but %s: send a sign-in link instead", questions.UserRef(v, id).Label, u.Status)
		case u.Email == "":
			return nil, seeing.Refused("%s has no e-mail address: add one, or hand over a sign-in link", questions.UserRef(v, id).Label)
		}
		return &serve.None{}, s.Service.Jobs.QueueMail(ctx, jobs.Mail{User: id, Kind: mailing.Invitation, By: serve.Caller(ctx).User})
	}, serve.Small, serve.Status(202))
	serve.Route(s, "GET", "/mails", "list-mails", "The last mails, and what became of each: to whom and what about, never what it says", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.MailList], error) {
		out, err := lists.Mails(ctx, s.Service.Now(ctx, serve.Caller(ctx)))
		return serve.Answer(out), err
	})
}
