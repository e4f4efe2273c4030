package account

import (
	"cmp"
	"context"
	"errors"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/fact"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

func tokenRoutes(s *serve.Server) {
	type request struct{ Body wire.TokenRequest }
	serve.Route(s, "POST", "/tokens", "make-token", "Make an API token; its secret is shown once", func(ctx context.Context, in *request) (*serve.Body[wire.Token], error) {
		v := s.Service.Now(ctx, serve.Caller(ctx))
		id, powers := serve.Caller(ctx).User, []string(nil)
		if in.Body.User != "" {
			var err error
			if id, powers, err = questions.SignInFor(v, in.Body.User); err != nil {
				return nil, err
			}
			if s.Ledger.Head().User(id).UserKind != fact.Service && id != serve.Caller(ctx).User {
				return nil, seeing.Refused("people make their own tokens; only those of service accounts can be made for them")
			}
		}
		if days := cmp.Or(in.Body.Days, tokenDays); days < 1 || days > 366 || in.Body.Label == "" || fact.CheckWords(in.Body.Label, 200) != "" {
			return nil, seeing.Invalid("no token was made", wire.Fault{Place: "/", Message: "a token has a label of at most 200 bytes and lasts 1 to 366 days"})
		}
		lasts, err := tokenLasts(ctx, s, in.Body.Days)
		if err != nil {
			return nil, err
		}
		t, secret, err := s.Authenticator.NewToken(ctx, id, serve.Caller(ctx).User, serve.MeansOf(ctx), powers, in.Body.Label, in.Body.Only, lasts, address(ctx))
		if errors.Is(err, signin.ErrTokens) {
			return nil, seeing.Invalid("no token was made", wire.Fault{Place: "/", Message: err.Error()})
		}
		out := token(s, v, t)
		out.Secret = secret
		return serve.Answer(out), err
	}, serve.Small, serve.Confirms, serve.Status(201))
	type signIn struct {
		Body struct {
			wire.SignInRequest
			Label string `json:"label" maxLength:"200"`
		}
	}
	serve.Route(s, "POST", "/session/token", "sign-in-token", "Sign in with user name and password for an API token, as the command line does", func(ctx context.Context, in *signIn) (*serve.Body[wire.Token], error) {
		if p := s.TooOld(); p != nil {
			return nil, p
		}
		who := who(ctx, s, in.Body.UserName)
		who.Code = in.Body.Code
		if err := s.Authenticator.Prove(ctx, who, in.Body.Password); err != nil {
			return nil, paused(ctx, s, err, who)
		}
		t, secret, err := s.Authenticator.NewToken(ctx, who.User, who.User, serve.MeansOf(ctx), nil, in.Body.Label, "", 30*24*time.Hour, who.Address)
		if errors.Is(err, signin.ErrTokens) {
			return nil, seeing.Invalid("nobody was signed in", wire.Fault{Place: "/", Message: err.Error()})
		}
		if err == nil {
			err = s.Authenticator.ConfirmToken(ctx, who.User, secret)
		}
		out := token(s, s.Service.Now(ctx, seeing.Caller{User: who.User}), t)
		out.Secret = secret
		return serve.Answer(out), err
	}, serve.Anybody, serve.Small, serve.Status(201))
	type rotation struct {
		User string `path:"user" doc:"user name or id of a machine account"`
		Body wire.RotationRequest
	}
	serve.Route(s, "POST", "/users/{user}/token-rotation", "rotate-token", "Make a token of a machine account in the place of those it has, which end after an overlap; its secret is shown once", func(ctx context.Context, in *rotation) (*serve.Body[wire.Rotation], error) {
		v := s.Service.Now(ctx, serve.Caller(ctx))
		id, powers, err := questions.SignInFor(v, in.User)
		if err != nil {
			return nil, err
		}
		if s.Ledger.Head().User(id).UserKind != fact.Service {
			return nil, seeing.Refused("%s is no machine account: people make their own tokens", questions.UserRef(v, id).Label)
		}
		lasts, err := tokenLasts(ctx, s, in.Body.Days)
		if err != nil {
			return nil, err
		}
		overlap := overlapDays
		if in.Body.OverlapDays != nil {
			overlap = *in.Body.OverlapDays
		}
		made, err := s.Authenticator.Rotate(ctx, id, serve.Caller(ctx).User, serve.MeansOf(ctx), powers, in.Body.Label, lasts, time.Duration(overlap)*24*time.Hour, address(ctx))
		if errors.Is(err, signin.ErrTokens) {
			return nil, seeing.Invalid("no token was made", wire.Fault{Place: "/", Message: err.Error()})
		}
		if errors.Is(err, signin.ErrNoToken) {
			return nil, seeing.Invalid("no token was made", wire.Fault{Place: "/label", Message: err.Error()})
		}
		out := wire.Rotation{Token: token(s, v, made.Token), Ending: made.Ending, EndsAt: made.EndsAt.UTC()}
		out.Token.Secret = made.Secret
		return serve.Answer(out), err
	}, serve.Small, serve.Confirms, serve.Status(201))
	serve.Route(s, "GET", "/tokens", "list-tokens", "One's own API tokens", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.TokenList], error) {
		all, err := s.Authenticator.Tokens(ctx, serve.Caller(ctx).User)
		out := wire.TokenList{Tokens: []wire.Token{}}
		v := s.Service.Now(ctx, serve.Caller(ctx))
		for _, t := range all {
			out.Tokens = append(out.Tokens, token(s, v, t))
		}
		return serve.Answer(out), err
	})
	type one struct {
		ID int64 `path:"id"`
	}
	serve.Route(s, "DELETE", "/tokens/{id}", "end-token", "End one of one's own API tokens", func(ctx context.Context, in *one) (*serve.None, error) {
		found, err := s.Authenticator.EndToken(ctx, serve.Caller(ctx).User, in.ID, address(ctx))
		if err == nil && !found {
			return nil, &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotFound, Title: "Not found", Status: 404, Detail: "you have no such token"}}
		}
		return &serve.None{}, err
	}, serve.Status(204))
}

// How long a token lasts where nothing is said, and those of before beside a new one, in days.
const (
	tokenDays   = 90
	overlapDays = 7
)

// tokenLasts is how long a token lasts that is asked for days, 0 for as long as usual: one that is
// made by a token does not outlive it.
func tokenLasts(ctx context.Context, s *serve.Server, days int) (time.Duration, error) {
	lasts := time.Duration(cmp.Or(days, tokenDays)) * 24 * time.Hour
	x := serve.CallOf(ctx)
	if !x.Token || x.Expires.IsZero() || !s.Service.Clock().Add(lasts).After(x.Expires) {
		return lasts, nil
	}
	if days == 0 {
		return x.Expires.Sub(s.Service.Clock()), nil
	}
	return 0, seeing.Invalid("no token was made", wire.Fault{Place: "/days", Message: "is too long: a token makes none that outlives it, and this one ends at " + x.Expires.UTC().Format(time.RFC3339)})
}

func token(s *serve.Server, v *seeing.View, t signin.Token) wire.Token {
	return wire.Token{ID: t.ID, Label: t.Label, Only: t.Only, User: questions.UserRef(v, t.User), CreatedAt: t.Created, ExpiresAt: t.Expires}
}
