package account

import (
	"context"
	"errors"
	"slices"
	"strings"

	"ableroster/internal/api/serve"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/lists"
	"ableroster/internal/mailing"
	"ableroster/internal/questions"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// signUpOpen says whether anybody may sign up by themselves.
func signUpOpen(s *serve.Server) bool {
	return s.Options.Mail && slices.ContainsFunc(record.SignUpRules(s.Ledger.Head()), func(f *fact.SignUpRule) bool { return !f.Ended })
}

func signUpRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/sign-up-rules", "list-sign-up-rules", "Who may sign up by themselves, by the domain of their address", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.SignUpRuleList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := lists.SignUpRules(v)
		return serve.Answer(out), err
	})
	type asks struct{ Body wire.SignUpRequest }
	serve.Route(s, "POST", "/sign-up", "ask-to-sign-up", "Have a link mailed to one's own address, by which one signs up; the answer does not tell who may, or who is there", func(ctx context.Context, in *asks) (*serve.None, error) {
		if !signUpOpen(s) {
			return nil, &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotFound, Title: "Not found", Status: 404, Detail: "Nobody signs up by themselves here. Ask your access administrator for an account."}}
		}
		email := fact.PlainAddress(strings.TrimSpace(in.Body.Email))
		if email == "" || fact.CheckLabel(email, 254) != "" || strings.ContainsAny(email, " ,;<>/*\"") {
			return nil, seeing.Invalid("no link was mailed", wire.Fault{Place: "/email", Message: "is not an e-mail address"})
		}
		try := signin.Try{Account: "sign-up " + fact.Fold(email), Address: address(ctx)}
		wait := int(s.Authenticator.Mailed.Wait(s.Service.Clock(), try).Seconds()) + 1
		if s.Authenticator.Mailed.Begin(s.Service.Clock(), try) {
			id, err := s.Authenticator.AskSignUp(ctx, email, address(ctx))
			if err == nil {
				// To an address by which nobody may sign up there is a mail, too, which is then dropped.
				return &serve.None{}, s.Service.Jobs.QueueMail(ctx, jobs.Mail{SignUp: id, Kind: mailing.SignUp})
			}
			if !errors.Is(err, signin.ErrPaused) {
				return nil, err
			}
			wait = 3600
		}
		return nil, &serve.Problem{RetryAfter: wait, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429, Detail: "That was asked for several times just now. Look among your mails, or wait a while."}}
	}, serve.Anybody, serve.Small, serve.Status(202))
	type signsUp struct{ Body wire.SignUpAccount }
	serve.Route(s, "POST", "/sign-up/account", "sign-up", "Sign up by the link that was mailed: with one's name and a password; one is signed in then", func(ctx context.Context, in *signsUp) (*withCookie[wire.Me], error) {
		if p := s.TooOld(); p != nil {
			return nil, p
		}
		if err := signUp(ctx, s, in.Body); err != nil {
			return nil, err
		}
		return useLinkOnce(ctx, s, wire.UseLinkRequest{Link: in.Body.Link, Password: in.Body.Password})
	}, serve.Anybody, serve.Small, serve.Status(200))
}

// signUp adds who signs up by a link, whose link it is from then on. Where they were added by it
// before there is nothing to do.
func signUp(ctx context.Context, s *serve.Server, in wire.SignUpAccount) error {
	asked, err := s.Authenticator.SignUp(ctx, in.Link)
	if errors.Is(err, signin.ErrLink) {
		return nil // they were added by it already, or using it says why not
	}
	if err != nil {
		return err
	}
	var faults []wire.Fault
	if name := strings.TrimSpace(in.DisplayName); name == "" {
		faults = append(faults, wire.Fault{Place: "/display_name", Message: "is missing"})
	}
	if err := signin.CheckPassword(in.Password, s.Ledger.Head().Organisation().Name, "able roster", asked.Address, in.DisplayName); err != nil {
		faults = append(faults, wire.Fault{Place: "/password", Message: err.Error()})
	}
	if len(faults) > 0 {
		return seeing.Invalid("nobody was added", faults...)
	}
	id, by, err := changing.SignUp(ctx, s.Service, asked.Address, strings.TrimSpace(in.DisplayName))
	if err != nil {
		return err
	}
	powers, lacking := questions.Standing{Service: s.Service}.Powers(id, by)
	if len(lacking) > 0 {
		return seeing.Refused("this account has rights that whoever set the sign-up rule has not: ask your access administrator")
	}
	if err := s.Authenticator.SignedUp(ctx, in.Link, id, by, powers, address(ctx)); !errors.Is(err, signin.ErrLink) {
		return err
	}
	return nil // by another call at the same time
}
