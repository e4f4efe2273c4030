package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/url"

	"ableroster/internal/fact"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// placeOf is where the browser is that asks: its origin, which is our own (see sameOrigin).
func placeOf(origin string) (signin.Place, error) {
	u, err := url.Parse(origin)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return signin.Place{}, seeing.Invalid("a passkey is for a browser", wire.Fault{Place: "Origin", Message: "is missing, or no address of a page"})
	}
	return signin.Place{Host: u.Hostname(), Origin: u.Scheme + "://" + u.Host}, nil
}

// FromPage is a call of a page.
type FromPage struct {
	Origin string `header:"Origin" doc:"of the page that asks (RFC 6454)"`
}

func (s *Server) passkeyRoutes() {
	route(s, "GET", "/me/passkeys", "list-passkeys", "One's own passkeys (WebAuthn)", func(ctx context.Context, _ *struct{}) (*body[wire.PasskeyList], error) {
		all, err := s.authenticator.Passkeys(ctx, caller(ctx).User)
		out := wire.PasskeyList{Passkeys: []wire.Passkey{}}
		for _, p := range all {
			out.Passkeys = append(out.Passkeys, wire.Passkey{ID: p.ID, Label: p.Label, MadeAt: p.Made.UTC(), UsedAt: p.Used})
		}
		return &body[wire.PasskeyList]{out}, err
	})
	type begin struct {
		FromPage
		Body wire.PasskeyBegin
	}
	route(s, "POST", "/me/passkeys/ceremony", "begin-passkey", "Begin to add a passkey: what the browser is asked (WebAuthn, section 5.4); the current password is asked for again", func(ctx context.Context, in *begin) (*body[wire.PasskeyCeremony], error) {
		place, err := placeOf(in.Origin)
		if err != nil {
			return nil, err
		}
		id := caller(ctx).User
		if err := s.provenAgain(ctx, id, in.Body.CurrentPassword); err != nil {
			return nil, err
		}
		head := s.ledger.Head()
		u := head.User(id)
		options, ceremony, err := s.authenticator.BeginPasskey(ctx, place, head.Organisation().Name, id, u.UserName, seeing.Label(u))
		if err != nil {
			return nil, passkeyProblem(err)
		}
		raw, err := json.Marshal(options)
		return &body[wire.PasskeyCeremony]{wire.PasskeyCeremony{Ceremony: ceremony, Options: raw}}, err
	}, small, status(201))
	type add struct {
		FromPage
		Body wire.PasskeyAnswer
	}
	route(s, "POST", "/me/passkeys", "add-passkey", "Add a passkey: the browser's answer. It signs one in from then on, without the password", func(ctx context.Context, in *add) (*body[wire.PasskeyAdded], error) {
		place, err := placeOf(in.Origin)
		if err != nil {
			return nil, err
		}
		label := in.Body.Label
		if label == "" {
			label = "Passkey"
		}
		if m := fact.CheckWords(label, 100); m != "" {
			return nil, seeing.Invalid("nothing was added", wire.Fault{Place: "/label", Message: m})
		}
		codes, err := s.authenticator.AddPasskey(ctx, place, caller(ctx).User, label, in.Body.Ceremony, in.Body.Response, address(ctx))
		if err != nil {
			return nil, passkeyProblem(err)
		}
		return &body[wire.PasskeyAdded]{wire.PasskeyAdded{Codes: codes}}, nil
	}, small, status(201))
	type remove struct {
		ID   int64 `path:"id"`
		Body wire.PasskeyBegin
	}
	route(s, "POST", "/me/passkeys/{id}/removal", "remove-passkey", "Remove one of one's own passkeys; the current password is asked for again", func(ctx context.Context, in *remove) (*none, error) {
		id := caller(ctx).User
		if err := s.provenAgain(ctx, id, in.Body.CurrentPassword); err != nil {
			return nil, err
		}
		found, err := s.authenticator.RemovePasskey(ctx, id, in.ID, address(ctx))
		if err == nil && !found {
			return nil, seeing.NotFound("you have no such passkey")
		}
		return &none{}, err
	}, small, status(204))
	route(s, "POST", "/session/passkey-ceremony", "begin-passkey-sign-in", "Begin to sign in with a passkey: what the browser is asked (WebAuthn, section 5.5)", func(ctx context.Context, in *FromPage) (*body[wire.PasskeyCeremony], error) {
		place, err := placeOf(in.Origin)
		if err != nil {
			return nil, err
		}
		options, ceremony, err := s.authenticator.BeginPasskeySignIn(ctx, place)
		if err != nil {
			return nil, passkeyProblem(err)
		}
		raw, err := json.Marshal(options)
		return &body[wire.PasskeyCeremony]{wire.PasskeyCeremony{Ceremony: ceremony, Options: raw}}, err
	}, anybody, small, status(201))
	type signIn struct {
		FromPage
		Body wire.PasskeyAnswer
	}
	route(s, "POST", "/session/passkey", "sign-in-with-passkey", "Sign in with a passkey: the browser's answer", func(ctx context.Context, in *signIn) (*withCookie[wire.Me], error) {
		if p := s.tooOld(); p != nil {
			return nil, p
		}
		place, err := placeOf(in.Origin)
		if err != nil {
			return nil, err
		}
		id, err := s.authenticator.PasskeySignIn(ctx, place, in.Body.Ceremony, in.Body.Response, address(ctx), s.mayLocally)
		if err != nil {
			return nil, passkeyProblem(err)
		}
		text, expires, err := s.authenticator.NewSession(ctx, id, callOf(ctx).agent, address(ctx))
		if err != nil {
			return nil, err
		}
		me := questions.Me(s.service.Now(ctx, seeing.Caller{User: id, Via: "console"}))
		return &withCookie[wire.Me]{s.cookies(ctx, id, text, expires), me}, nil
	}, anybody, small, status(200))
}

// provenAgain holds a dangerous call to whoever knows the password, beside the session.
func (s *Server) provenAgain(ctx context.Context, id fact.UserID, password string) error {
	who := signin.Who{Name: s.ledger.Head().User(id).UserName, User: id, May: true, Address: address(ctx), Device: callOf(ctx).device}
	err := s.authenticator.Prove(ctx, who, password)
	if errors.Is(err, signin.ErrWrong) {
		return seeing.Invalid("nothing was changed", wire.Fault{Place: "/current_password", Message: "is not right"})
	}
	if err != nil {
		return s.paused(ctx, err, who)
	}
	return nil
}

// passkeyProblem tells an error of a passkey.
func passkeyProblem(err error) error {
	switch {
	case errors.Is(err, signin.ErrPasskey):
		return &problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: "The passkey was not taken", Status: 401, Detail: upper(err.Error()) + "."}}
	case errors.Is(err, signin.ErrManyPasskeys):
		return seeing.Refused("%s", err)
	}
	return err
}
