package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// withCookie is an answer that opens or ends a session.
type withCookie[T any] struct {
	Cookie []http.Cookie `header:"Set-Cookie"`
	Body   T
}

// cookies are those of a session that was opened, and of the browser that opened it.
func (s *Server) cookies(ctx context.Context, user fact.UserID, session string, expires time.Time) []http.Cookie {
	out := []http.Cookie{s.cookie(session, expires)}
	device, err := s.authenticator.NewDevice(ctx, user, callOf(ctx).device)
	if err != nil { // it is slowed like any other next time
		s.log.Warn("a device was not remembered", "error", err)
		return out
	}
	c := s.cookie(device, s.service.Clock().AddDate(0, 6, 0))
	c.Name = s.cookieNamed(deviceCookie)
	return append(out, c)
}

// cookieNamed is a cookie's name: over TLS browsers hold it to this host alone.
func (s *Server) cookieNamed(name string) string {
	if s.o.Secure {
		return "__Host-" + name
	}
	return name
}

func (s *Server) cookie(value string, expires time.Time) http.Cookie {
	return http.Cookie{Name: s.cookieNamed(cookieName), Value: value, Path: "/", Expires: expires, HttpOnly: true, Secure: s.o.Secure, SameSite: http.SameSiteStrictMode}
}

func address(ctx context.Context) string {
	a := callOf(ctx).address
	return a
}

// who finds whom a user name means and whether they may sign in now. Ids sign nobody
// in: they are no second name under which to guess.
func (s *Server) who(ctx context.Context, name string) signin.Who {
	x := callOf(ctx)
	out := signin.Who{Name: name, Address: x.address, Device: x.device, On: x.agent, Second: true}
	if len(name) > signin.MostNameBytes || fact.LooksLikeID(strings.ToLower(name)) {
		return out
	}
	head := s.ledger.Head()
	if id, ok := head.FindUser(name); ok {
		out.User, out.May = id, s.mayLocally(id)
	}
	return out
}

// ownWords are what a user's password may not be made of.
func (s *Server) ownWords(id fact.UserID) []string {
	head := s.ledger.Head()
	out := []string{head.Organisation().Name, "able roster"}
	if u := head.User(id); u != nil {
		out = append(out, u.UserName, u.DisplayName, u.Email)
	}
	return out
}

func (s *Server) paused(ctx context.Context, err error, who signin.Who) error {
	if errors.Is(err, signin.ErrVoid) {
		return &problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: "Not signed in", Status: 401, Detail: upper(err.Error()) + "."}}
	}
	if errors.Is(err, signin.ErrSecond) || errors.Is(err, signin.ErrUsesPasskey) || errors.Is(err, signin.ErrCode) {
		return &problem{Problem: wire.Problem{Type: seeing.KindSecondFactor, Title: "A second factor is needed", Status: 401, Detail: upper(err.Error()) + "."}}
	}
	if !errors.Is(err, signin.ErrPaused) {
		return err
	}
	wait := int(s.authenticator.Wait(ctx, who).Seconds()) + 1
	return &problem{retryAfter: wait, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429,
		Detail: fmt.Sprintf("Too many attempts to sign in. Try again in %d seconds.", wait)}}
}

func (s *Server) signInRoutes() {
	type signIn struct{ Body wire.SignInRequest }
	route(s, "POST", "/session", "sign-in", "Sign in with user name and password", func(ctx context.Context, in *signIn) (*withCookie[wire.Me], error) {
		if p := s.tooOld(); p != nil {
			return nil, p
		}
		who := s.who(ctx, in.Body.UserName)
		who.Code = in.Body.Code
		text, expires, err := s.authenticator.SignIn(ctx, who, in.Body.Password)
		if err != nil {
			return nil, s.paused(ctx, err, who)
		}
		me := questions.Me(s.service.Now(ctx, seeing.Caller{User: who.User, Via: "console"}))
		return &withCookie[wire.Me]{s.cookies(ctx, who.User, text, expires), me}, nil
	}, anybody, small, status(200))
	type signedOut struct {
		Cookie http.Cookie `header:"Set-Cookie"`
		Clear  string      `header:"Clear-Site-Data"`
		At     string      `header:"Roster-Sign-Out-At" doc:"where one signs out of the identity provider too, of a session that was opened by one"`
	}
	route(s, "DELETE", "/session", "sign-out", "Sign out", func(ctx context.Context, in *FromPage) (*signedOut, error) {
		out := &signedOut{Cookie: s.cookie("", time.Unix(0, 0)), Clear: `"cache", "storage"`}
		if cookie := callOf(ctx).cookie; cookie != "" {
			out.At = s.signOutAt(ctx, cookie, in.Origin)
			return out, s.authenticator.SignOut(ctx, cookie)
		}
		return out, nil
	}, status(204))
	type password struct{ Body wire.PasswordRequest }
	route(s, "PUT", "/me/password", "change-password", "Change one's own password; ends all one's tokens, and sessions but a new one", func(ctx context.Context, in *password) (*withCookie[struct{}], error) {
		id := caller(ctx).User
		if err := signin.CheckPassword(in.Body.New, s.ownWords(id)...); err != nil {
			return nil, seeing.Invalid("the password was not changed", wire.Fault{Place: "/new_password", Message: err.Error()})
		}
		who := signin.Who{Name: s.ledger.Head().User(id).UserName, User: id, May: true, Address: address(ctx), Device: callOf(ctx).device}
		if err := s.authenticator.Prove(ctx, who, in.Body.Current); err != nil {
			if errors.Is(err, signin.ErrWrong) {
				return nil, seeing.Invalid("the password was not changed", wire.Fault{Place: "/current_password", Message: "is not right"})
			}
			return nil, s.paused(ctx, err, who)
		}
		if err := s.authenticator.SetPassword(ctx, id, in.Body.New, address(ctx)); err != nil {
			return nil, err
		}
		text, expires, err := s.authenticator.NewSession(ctx, id, callOf(ctx).agent, address(ctx))
		return &withCookie[struct{}]{Cookie: []http.Cookie{s.cookie(text, expires)}}, err
	}, small, status(200))
	type linkFor struct {
		User string `path:"user" doc:"user name or id"`
	}
	route(s, "POST", "/users/{user}/sign-in-link", "make-sign-in-link", "Make a one-time link by which a user sets their own password; it is shown once, and earlier ones are void", func(ctx context.Context, in *linkFor) (*body[wire.SignInLink], error) {
		v := s.service.Now(ctx, caller(ctx))
		id, powers, err := questions.SignInFor(v, in.User)
		if err != nil {
			return nil, err
		}
		if s.ledger.Head().User(id).UserKind == fact.Service {
			return nil, seeing.Refused("%s is a machine account: it signs in by a token", questions.UserRef(v, id).Label)
		}
		code, expires, err := s.authenticator.NewLink(ctx, id, caller(ctx).User, powers, signin.LinkLasts, address(ctx))
		return &body[wire.SignInLink]{wire.SignInLink{User: questions.UserRef(v, id), Path: "/sign-in-link#" + code, ExpiresAt: expires}}, err
	}, small, status(201))
	type useLink struct{ Body wire.UseLinkRequest }
	route(s, "POST", "/sign-in-link", "use-sign-in-link", "Set one's own password by a one-time link, and sign in", func(ctx context.Context, in *useLink) (*withCookie[wire.Me], error) {
		if p := s.tooOld(); p != nil {
			return nil, p
		}
		id, err := s.useLink(ctx, in.Body)
		if errors.Is(err, signin.ErrLink) {
			return nil, seeing.Refused("%s: it was used, is over, or was made anew; ask whoever sent it for another", err)
		}
		if err != nil {
			return nil, err
		}
		text, expires, err := s.authenticator.NewSession(ctx, id, callOf(ctx).agent, address(ctx))
		return &withCookie[wire.Me]{s.cookies(ctx, id, text, expires), questions.Me(s.service.Now(ctx, seeing.Caller{User: id, Via: "console"}))}, err
	}, anybody, small, status(200))
	s.tokenRoutes()
	s.mailRoutes()
	s.factorRoutes()
	s.passkeyRoutes()
	s.providerRoutes()
	s.setUpRoutes()
}

func (s *Server) useLink(ctx context.Context, in wire.UseLinkRequest) (fact.UserID, error) {
	l, err := s.authenticator.Link(ctx, in.Link)
	if err != nil {
		return 0, err
	}
	u := s.ledger.Head().User(l.User)
	if s.alone(l.User) && u.Status != fact.Invited { // an invitation is taken up once, by its link
		return 0, seeing.Refused("this account signs in by an identity provider alone: go back, and press its name")
	}
	if err := signin.CheckPassword(in.Password, s.ownWords(l.User)...); err != nil {
		return 0, seeing.Invalid("the password was not set", wire.Fault{Place: "/password", Message: err.Error()})
	}
	if u != nil && u.Status == fact.Invited {
		if err := changing.TakeUp(ctx, s.service, l.User, l.Maker, in.Link); err != nil {
			return 0, err
		}
	}
	if !s.ledger.Head().MaySignIn(l.User, calendar.At(s.service.Clock())) {
		return 0, seeing.Refused("this account cannot sign in now; ask whoever sent the link")
	}
	if err := s.authenticator.ProveSecond(ctx, l.User, in.Code, address(ctx)); err != nil {
		return 0, s.paused(ctx, err, signin.Who{User: l.User, Address: address(ctx)})
	}
	return s.authenticator.UseLink(ctx, in.Link, in.Password, address(ctx))
}

func (s *Server) setUpRoutes() {
	route(s, "GET", "/set-up", "set-up-state", "Whether the installation still waits for its first administrator", func(context.Context, *struct{}) (*body[wire.SetUpState], error) {
		return &body[wire.SetUpState]{wire.SetUpState{Waiting: s.ledger.Head().Revision == 0, Mail: s.o.Mail}}, nil
	}, anybody)
	type setUp struct{ Body wire.SetUpRequest }
	route(s, "POST", "/set-up", "set-up", "Name the first administrator, by the one-time link", func(ctx context.Context, in *setUp) (*withCookie[wire.ChangeResult], error) {
		if err := s.authenticator.CheckSetUpLink(ctx, in.Body.Link); err != nil {
			if errors.Is(err, signin.ErrLink) {
				return nil, seeing.Refused("%s; the service prints a new one when it starts on an empty ledger", err)
			}
			return nil, err
		}
		if err := signin.CheckPassword(in.Body.Password, in.Body.UserName, in.Body.DisplayName, in.Body.Organisation, "able roster"); err != nil {
			return nil, seeing.Invalid("nothing was set up", wire.Fault{Place: "/password", Message: err.Error()})
		}
		out, id, err := changing.SetUp(ctx, s.service, in.Body)
		if err != nil {
			return nil, err
		}
		if err := s.authenticator.EndSetUpLinks(ctx); err != nil {
			return nil, err
		}
		if err := s.authenticator.SetPassword(ctx, id, in.Body.Password, address(ctx)); err != nil {
			return nil, err
		}
		text, expires, err := s.authenticator.NewSession(ctx, id, callOf(ctx).agent, address(ctx))
		return &withCookie[wire.ChangeResult]{s.cookies(ctx, id, text, expires), out}, err
	}, anybody, small, status(201))
}
