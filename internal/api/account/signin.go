package account

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"ableroster/internal/api/serve"
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
func cookies(ctx context.Context, s *serve.Server, user fact.UserID, session string, expires time.Time) []http.Cookie {
	out := []http.Cookie{cookie(s, session, expires)}
	device, err := s.Authenticator.NewDevice(ctx, user, serve.CallOf(ctx).Device)
	if err != nil { // it is slowed like any other next time
		s.Log.Warn("a device was not remembered", "error", err)
		return out
	}
	c := cookie(s, device, s.Service.Clock().AddDate(0, 6, 0))
	c.Name = s.CookieNamed(serve.DeviceCookie)
	return append(out, c)
}

func cookie(s *serve.Server, value string, expires time.Time) http.Cookie {
	return http.Cookie{Name: s.CookieNamed(serve.CookieName), Value: value, Path: "/", Expires: expires, HttpOnly: true, Secure: s.Options.Secure, SameSite: http.SameSiteStrictMode}
}

func address(ctx context.Context) string {
	a := serve.CallOf(ctx).Address
	return a
}

// who finds whom a user name means and whether they may sign in now. Ids sign nobody
// in: they are no second name under which to guess.
func who(ctx context.Context, s *serve.Server, name string) signin.Who {
	x := serve.CallOf(ctx)
	out := signin.Who{Name: name, Address: x.Address, Device: x.Device, On: x.Agent, Second: true}
	if len(name) > signin.MostNameBytes || fact.LooksLikeID(strings.ToLower(name)) {
		return out
	}
	head := s.Ledger.Head()
	if id, ok := head.FindUser(name); ok {
		out.User, out.May = id, mayLocally(s, id)
	}
	return out
}

// ownWords are what a user's password may not be made of.
func ownWords(s *serve.Server, id fact.UserID) []string {
	head := s.Ledger.Head()
	out := []string{head.Organisation().Name, "able roster"}
	if u := head.User(id); u != nil {
		out = append(out, u.UserName, u.DisplayName, u.Email)
	}
	return out
}

func paused(ctx context.Context, s *serve.Server, err error, who signin.Who) error {
	if errors.Is(err, signin.ErrVoid) {
		return &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: "Not signed in", Status: 401, Detail: serve.Upper(err.Error()) + "."}}
	}
	if errors.Is(err, signin.ErrSecond) || errors.Is(err, signin.ErrUsesPasskey) || errors.Is(err, signin.ErrCode) {
		return &serve.Problem{Problem: wire.Problem{Type: seeing.KindSecondFactor, Title: "A second factor is needed", Status: 401, Detail: serve.Upper(err.Error()) + "."}}
	}
	if !errors.Is(err, signin.ErrPaused) {
		return err
	}
	wait := int(s.Authenticator.Wait(ctx, who).Seconds()) + 1
	return &serve.Problem{RetryAfter: wait, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429,
		Detail: fmt.Sprintf("Too many attempts to sign in. Try again in %d seconds.", wait)}}
}

// again is a caller who is signed in, and proves once more who they are.
func again(ctx context.Context, s *serve.Server) signin.Who {
	id := serve.Caller(ctx).User
	return signin.Who{Name: s.Ledger.Head().User(id).UserName, User: id, May: true, Again: true, Address: address(ctx), Device: serve.CallOf(ctx).Device}
}

// SignInRoutes registers the calls of signing in.
func SignInRoutes(s *serve.Server) {
	type signIn struct{ Body wire.SignInRequest }
	serve.Route(s, "POST", "/session", "sign-in", "Sign in with user name and password", func(ctx context.Context, in *signIn) (*withCookie[wire.Me], error) {
		if p := s.TooOld(); p != nil {
			return nil, p
		}
		who := who(ctx, s, in.Body.UserName)
		who.Code = in.Body.Code
		text, expires, err := s.Authenticator.SignIn(ctx, who, in.Body.Password)
		if err != nil {
			return nil, paused(ctx, s, err, who)
		}
		me := questions.Me(s.Service.Now(ctx, seeing.Caller{User: who.User, Via: "console"}))
		return &withCookie[wire.Me]{cookies(ctx, s, who.User, text, expires), me}, nil
	}, serve.Anybody, serve.Small, serve.Status(200))
	type signedOut struct {
		Cookie http.Cookie `header:"Set-Cookie"`
		Clear  string      `header:"Clear-Site-Data"`
		At     string      `header:"Roster-Sign-Out-At" doc:"where one signs out of the identity provider too, of a session that was opened by one"`
	}
	serve.Route(s, "DELETE", "/session", "sign-out", "Sign out", func(ctx context.Context, in *FromPage) (*signedOut, error) {
		out := &signedOut{Cookie: cookie(s, "", time.Unix(0, 0)), Clear: `"cache", "storage"`}
		if cookie := serve.CallOf(ctx).Cookie; cookie != "" {
			out.At = signOutAt(ctx, s, cookie, in.Origin)
			return out, s.Authenticator.SignOut(ctx, cookie)
		}
		return out, nil
	}, serve.Status(204))
	type password struct{ Body wire.PasswordRequest }
	serve.Route(s, "PUT", "/me/password", "change-password", "Change one's own password; ends all one's tokens, and sessions but a new one", func(ctx context.Context, in *password) (*withCookie[struct{}], error) {
		id := serve.Caller(ctx).User
		if err := signin.CheckPassword(in.Body.New, ownWords(s, id)...); err != nil {
			return nil, seeing.Invalid("the password was not changed", wire.Fault{Place: "/new_password", Message: err.Error()})
		}
		who := again(ctx, s)
		if err := s.Authenticator.Prove(ctx, who, in.Body.Current); err != nil {
			if errors.Is(err, signin.ErrWrong) {
				return nil, seeing.Invalid("the password was not changed", wire.Fault{Place: "/current_password", Message: "is not right"})
			}
			return nil, paused(ctx, s, err, who)
		}
		if err := s.Authenticator.SetPassword(ctx, id, in.Body.New, address(ctx)); err != nil {
			return nil, err
		}
		text, expires, err := s.Authenticator.NewSession(ctx, id, serve.CallOf(ctx).Agent, address(ctx))
		return &withCookie[struct{}]{Cookie: []http.Cookie{cookie(s, text, expires)}}, err
	}, serve.Small, serve.Status(200))
	type confirmation struct{ Body wire.Confirmation }
	serve.Route(s, "POST", "/me/confirmation", "confirm-identity", "Confirm that it is you: by a code of your authenticator app where you have one, else by your password. For 15 minutes it is not asked again", func(ctx context.Context, in *confirmation) (*serve.None, error) {
		who := again(ctx, s)
		who.Code = in.Body.Code
		err := s.Authenticator.Confirm(ctx, who, in.Body.Password, serve.MeansOf(ctx))
		if errors.Is(err, signin.ErrWrong) {
			return nil, seeing.Invalid("nothing was confirmed", wire.Fault{Place: "/password", Message: "is not right"})
		}
		if errors.Is(err, signin.ErrPaused) {
			return nil, paused(ctx, s, err, who)
		}
		return &serve.None{}, factorProblem(err)
	}, serve.Small, serve.Status(204))
	type linkFor struct {
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "POST", "/users/{user}/sign-in-link", "make-sign-in-link", "Make a one-time link by which a user sets their own password; it is shown once, and earlier ones are void", func(ctx context.Context, in *linkFor) (*serve.Body[wire.SignInLink], error) {
		v := s.Service.Now(ctx, serve.Caller(ctx))
		id, powers, err := questions.SignInFor(v, in.User)
		if err != nil {
			return nil, err
		}
		if s.Ledger.Head().User(id).UserKind == fact.Service {
			return nil, seeing.Refused("%s is a machine account: it signs in by a token", questions.UserRef(v, id).Label)
		}
		code, expires, err := s.Authenticator.NewLink(ctx, id, serve.Caller(ctx).User, powers, signin.LinkLasts, address(ctx))
		return serve.Answer(wire.SignInLink{User: questions.UserRef(v, id), Path: "/sign-in-link#" + code, ExpiresAt: expires}), err
	}, serve.Small, serve.Confirms, serve.Status(201))
	type linkUse struct{ Body wire.UseLinkRequest }
	serve.Route(s, "POST", "/sign-in-link", "use-sign-in-link", "Set one's own password by a one-time link, and sign in", func(ctx context.Context, in *linkUse) (*withCookie[wire.Me], error) {
		if p := s.TooOld(); p != nil {
			return nil, p
		}
		return useLinkOnce(ctx, s, in.Body)
	}, serve.Anybody, serve.Small, serve.Status(200))
	tokenRoutes(s)
	mailRoutes(s)
	signUpRoutes(s)
	factorRoutes(s)
	passkeyRoutes(s)
	providerRoutes(s)
	setUpRoutes(s)
}

// useLinkOnce sets a password by a link, and opens a session.
func useLinkOnce(ctx context.Context, s *serve.Server, in wire.UseLinkRequest) (*withCookie[wire.Me], error) {
	id, err := useLink(ctx, s, in)
	if errors.Is(err, signin.ErrLink) {
		return nil, seeing.Refused("%s: it was used, is over, or was made anew; ask whoever sent it for another", err)
	}
	if err != nil {
		return nil, err
	}
	text, expires, err := s.Authenticator.NewSession(ctx, id, serve.CallOf(ctx).Agent, address(ctx))
	return &withCookie[wire.Me]{cookies(ctx, s, id, text, expires), questions.Me(s.Service.Now(ctx, seeing.Caller{User: id, Via: "console"}))}, err
}

func useLink(ctx context.Context, s *serve.Server, in wire.UseLinkRequest) (fact.UserID, error) {
	l, err := s.Authenticator.Link(ctx, in.Link)
	if err != nil {
		return 0, err
	}
	u := s.Ledger.Head().User(l.User)
	if alone(s, l.User) && u.Status != fact.Invited { // an invitation is taken up once, by its link
		return 0, seeing.Refused("this account signs in by an identity provider alone: go back, and press its name")
	}
	if err := signin.CheckPassword(in.Password, ownWords(s, l.User)...); err != nil {
		return 0, seeing.Invalid("the password was not set", wire.Fault{Place: "/password", Message: err.Error()})
	}
	if u != nil && u.Status == fact.Invited {
		if err := changing.TakeUp(ctx, s.Service, l.User, l.Maker, in.Link); err != nil {
			return 0, err
		}
	}
	if !s.Ledger.Head().MaySignIn(l.User, calendar.At(s.Service.Clock())) {
		return 0, seeing.Refused("this account cannot sign in now; ask whoever sent the link")
	}
	if err := s.Authenticator.ProveSecond(ctx, l.User, in.Code, address(ctx)); err != nil {
		return 0, paused(ctx, s, err, signin.Who{User: l.User, Address: address(ctx)})
	}
	return s.Authenticator.UseLink(ctx, in.Link, in.Password, address(ctx))
}

func setUpRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/set-up", "set-up-state", "Whether the installation still waits for its first administrator", func(context.Context, *struct{}) (*serve.Body[wire.SetUpState], error) {
		return serve.Answer(wire.SetUpState{Waiting: s.Ledger.Head().Revision == 0, Mail: s.Options.Mail, SignUp: signUpOpen(s)}), nil
	}, serve.Anybody)
	type setUp struct{ Body wire.SetUpRequest }
	serve.Route(s, "POST", "/set-up", "set-up", "Name the first administrator, by the one-time link", func(ctx context.Context, in *setUp) (*withCookie[wire.ChangeResult], error) {
		if err := s.Authenticator.CheckSetUpLink(ctx, in.Body.Link); err != nil {
			if errors.Is(err, signin.ErrLink) {
				return nil, seeing.Refused("%s; the service prints a new one when it starts on an empty ledger", err)
			}
			return nil, err
		}
		if err := signin.CheckPassword(in.Body.Password, in.Body.UserName, in.Body.DisplayName, in.Body.Organisation, "able roster"); err != nil {
			return nil, seeing.Invalid("nothing was set up", wire.Fault{Place: "/password", Message: err.Error()})
		}
		out, id, err := changing.SetUp(ctx, s.Service, in.Body)
		if err != nil {
			return nil, err
		}
		if err := s.Authenticator.EndSetUpLinks(ctx); err != nil {
			return nil, err
		}
		if err := s.Authenticator.SetPassword(ctx, id, in.Body.Password, address(ctx)); err != nil {
			return nil, err
		}
		text, expires, err := s.Authenticator.NewSession(ctx, id, serve.CallOf(ctx).Agent, address(ctx))
		return &withCookie[wire.ChangeResult]{cookies(ctx, s, id, text, expires), out}, err
	}, serve.Anybody, serve.Small, serve.Status(201))
}
