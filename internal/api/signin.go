package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/desk"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// withCookie is an answer that opens or ends a session.
type withCookie[T any] struct {
	Cookie http.Cookie `header:"Set-Cookie"`
	Body   T
}

func (s *Server) cookie(value string, expires time.Time) http.Cookie {
	return http.Cookie{Name: cookieName, Value: value, Path: "/", Expires: expires, HttpOnly: true, Secure: s.o.Secure, SameSite: http.SameSiteStrictMode}
}

func address(ctx context.Context) string {
	a := callOf(ctx).address
	return a
}

// resolve finds whom a user name means and whether they may sign in now.
func (s *Server) resolve(name string) (access.UserID, bool) {
	head := s.ledger.Head()
	id, ok := head.FindUser(name)
	return id, ok && head.MaySignIn(id, access.At(s.desk.Clock()))
}

func (s *Server) paused(err error, name, address string) error {
	if !errors.Is(err, signin.ErrPaused) {
		return err
	}
	wait := int(s.door.Wait(name, address).Seconds()) + 1
	return &problem{retryAfter: wait, Problem: wire.Problem{Type: desk.KindTooMany, Title: "Too many attempts", Status: 429,
		Detail: fmt.Sprintf("Too many attempts to sign in. Try again in %d seconds.", wait)}}
}

func (s *Server) signInRoutes() {
	type signIn struct{ Body wire.SignInRequest }
	route(s, "POST", "/session", "sign-in", "Sign in with user name and password", func(ctx context.Context, in *signIn) (*withCookie[wire.Me], error) {
		id, may := s.resolve(in.Body.UserName)
		text, expires, err := s.door.SignIn(ctx, in.Body.UserName, id, may, in.Body.Password, address(ctx))
		if err != nil {
			return nil, s.paused(err, in.Body.UserName, address(ctx))
		}
		me := s.desk.Now(ctx, desk.Caller{User: id, Via: "console"}).Me()
		return &withCookie[wire.Me]{s.cookie(text, expires), me}, nil
	}, anybody, status(200))
	route(s, "DELETE", "/session", "sign-out", "Sign out", func(ctx context.Context, _ *struct{}) (*struct {
		Cookie http.Cookie `header:"Set-Cookie"`
	}, error) {
		out := &struct {
			Cookie http.Cookie `header:"Set-Cookie"`
		}{s.cookie("", time.Unix(0, 0))}
		if cookie := callOf(ctx).cookie; cookie != "" {
			return out, s.door.SignOut(ctx, cookie)
		}
		return out, nil
	}, status(204))
	type password struct{ Body wire.PasswordRequest }
	route(s, "PUT", "/me/password", "change-password", "Change one's own password; ends all one's sessions but a new one", func(ctx context.Context, in *password) (*withCookie[struct{}], error) {
		id := caller(ctx).User
		if err := signin.CheckPassword(in.Body.New); err != nil {
			return nil, desk.Invalid("the password was not changed", wire.Fault{Place: "/new_password", Message: err.Error()})
		}
		name := s.ledger.Head().User(id).UserName
		if err := s.door.Prove(ctx, name, id, true, in.Body.Current, address(ctx)); err != nil {
			if errors.Is(err, signin.ErrWrong) {
				return nil, desk.Invalid("the password was not changed", wire.Fault{Place: "/current_password", Message: "is not right"})
			}
			return nil, s.paused(err, name, address(ctx))
		}
		if err := s.door.SetPassword(ctx, id, in.Body.New, address(ctx)); err != nil {
			return nil, err
		}
		text, expires, err := s.door.NewSession(ctx, id)
		return &withCookie[struct{}]{Cookie: s.cookie(text, expires)}, err
	}, status(200))
	type othersPassword struct {
		User string `path:"user" doc:"user name or id"`
		Body wire.PasswordRequest
	}
	route(s, "PUT", "/users/{user}/password", "give-sign-in", "Give a user sign-in, or a new password", func(ctx context.Context, in *othersPassword) (*none, error) {
		id, err := s.desk.Now(ctx, caller(ctx)).MayActFor(in.User)
		if err != nil {
			return nil, err
		}
		if err := signin.CheckPassword(in.Body.New); err != nil {
			return nil, desk.Invalid("the password was not changed", wire.Fault{Place: "/new_password", Message: err.Error()})
		}
		return &none{}, s.door.SetPassword(ctx, id, in.Body.New, address(ctx))
	}, status(204))
	s.tokenRoutes()
	s.setUpRoutes()
}

func (s *Server) tokenRoutes() {
	type request struct{ Body wire.TokenRequest }
	route(s, "POST", "/tokens", "make-token", "Make an API token; its secret is shown once", func(ctx context.Context, in *request) (*body[wire.Token], error) {
		v := s.desk.Now(ctx, caller(ctx))
		id := caller(ctx).User
		if in.Body.User != "" {
			var err error
			if id, err = v.MayActFor(in.Body.User); err != nil {
				return nil, err
			}
			if s.ledger.Head().User(id).UserKind != access.Service && id != caller(ctx).User {
				return nil, desk.Refused("people make their own tokens; only those of service accounts can be made for them")
			}
		}
		days := in.Body.Days
		if days == 0 {
			days = 90
		}
		if days < 1 || days > 366 || in.Body.Label == "" || access.CheckWords(in.Body.Label, 200) != "" {
			return nil, desk.Invalid("no token was made", wire.Fault{Place: "/", Message: "a token has a label of at most 200 bytes and lasts 1 to 366 days"})
		}
		t, secret, err := s.door.NewToken(ctx, id, in.Body.Label, time.Duration(days)*24*time.Hour)
		out := s.token(v, t)
		out.Secret = secret
		return &body[wire.Token]{out}, err
	}, status(201))
	type signIn struct {
		Body struct {
			wire.SignInRequest
			Label string `json:"label" maxLength:"200"`
		}
	}
	route(s, "POST", "/session/token", "sign-in-token", "Sign in with user name and password for an API token, as the command line does", func(ctx context.Context, in *signIn) (*body[wire.Token], error) {
		id, may := s.resolve(in.Body.UserName)
		if err := s.door.Prove(ctx, in.Body.UserName, id, may, in.Body.Password, address(ctx)); err != nil {
			return nil, s.paused(err, in.Body.UserName, address(ctx))
		}
		t, secret, err := s.door.NewToken(ctx, id, in.Body.Label, 30*24*time.Hour)
		out := s.token(s.desk.Now(ctx, desk.Caller{User: id}), t)
		out.Secret = secret
		return &body[wire.Token]{out}, err
	}, anybody, status(201))
	route(s, "GET", "/tokens", "list-tokens", "One's own API tokens", func(ctx context.Context, _ *struct{}) (*body[wire.TokenList], error) {
		all, err := s.door.Tokens(ctx, caller(ctx).User)
		out := wire.TokenList{Tokens: []wire.Token{}}
		v := s.desk.Now(ctx, caller(ctx))
		for _, t := range all {
			out.Tokens = append(out.Tokens, s.token(v, t))
		}
		return &body[wire.TokenList]{out}, err
	})
	type one struct {
		ID int64 `path:"id"`
	}
	route(s, "DELETE", "/tokens/{id}", "end-token", "End one of one's own API tokens", func(ctx context.Context, in *one) (*none, error) {
		found, err := s.door.EndToken(ctx, caller(ctx).User, in.ID)
		if err == nil && !found {
			return nil, &problem{Problem: wire.Problem{Type: desk.KindNotFound, Title: "Not found", Status: 404, Detail: "you have no such token"}}
		}
		return &none{}, err
	}, status(204))
}

func (s *Server) token(v *desk.View, t signin.Token) wire.Token {
	return wire.Token{ID: t.ID, Label: t.Label, User: v.UserRef(t.User), CreatedAt: t.Created, ExpiresAt: t.Expires}
}

func (s *Server) setUpRoutes() {
	route(s, "GET", "/set-up", "set-up-state", "Whether the installation still waits for its first administrator", func(context.Context, *struct{}) (*body[wire.SetUpState], error) {
		return &body[wire.SetUpState]{wire.SetUpState{Waiting: s.ledger.Head().Revision == 0}}, nil
	}, anybody)
	type setUp struct{ Body wire.SetUpRequest }
	route(s, "POST", "/set-up", "set-up", "Name the first administrator, by the one-time link", func(ctx context.Context, in *setUp) (*withCookie[wire.ChangeResult], error) {
		if err := s.door.CheckSetUpLink(ctx, in.Body.Link); err != nil {
			if errors.Is(err, signin.ErrLink) {
				return nil, desk.Refused("%s; the service prints a new one when it starts on an empty ledger", err)
			}
			return nil, err
		}
		if err := signin.CheckPassword(in.Body.Password); err != nil {
			return nil, desk.Invalid("nothing was set up", wire.Fault{Place: "/password", Message: err.Error()})
		}
		out, id, err := s.desk.SetUp(ctx, in.Body)
		if err != nil {
			return nil, err
		}
		if err := s.door.EndSetUpLinks(ctx); err != nil {
			return nil, err
		}
		if err := s.door.SetPassword(ctx, id, in.Body.Password, address(ctx)); err != nil {
			return nil, err
		}
		text, expires, err := s.door.NewSession(ctx, id)
		return &withCookie[wire.ChangeResult]{s.cookie(text, expires), out}, err
	}, anybody, status(201))
}
