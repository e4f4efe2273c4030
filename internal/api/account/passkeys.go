package account

import (
	"context"
	"encoding/json"
	"errors"
	"net/netip"
	"net/url"

	"ableroster/internal/api/serve"
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

// passkeyPlaceOf is placeOf for passkeys, which are for a domain (WebAuthn, section 5.1.3).
func passkeyPlaceOf(origin string) (signin.Place, error) {
	p, err := placeOf(origin)
	if err != nil {
		return p, err
	}
	if _, err := netip.ParseAddr(p.Host); err == nil {
		return signin.Place{}, seeing.Invalid("a passkey is for a name of a host", wire.Fault{Place: "Origin", Message: "is an address of numbers: open the page by its name"})
	}
	return p, nil
}

// FromPage is a call of a page.
type FromPage struct {
	Origin string `header:"Origin" doc:"of the page that asks (RFC 6454)"`
}

func passkeyRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/me/passkeys", "list-passkeys", "One's own passkeys (WebAuthn)", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.PasskeyList], error) {
		all, err := s.Authenticator.Passkeys(ctx, serve.Caller(ctx).User)
		out := wire.PasskeyList{Passkeys: []wire.Passkey{}}
		for _, p := range all {
			out.Passkeys = append(out.Passkeys, wire.Passkey{ID: p.ID, Label: p.Label, MadeAt: p.Made.UTC(), UsedAt: p.Used})
		}
		return serve.Answer(out), err
	})
	type begin struct {
		FromPage
		Body wire.PasskeyBegin
	}
	serve.Route(s, "POST", "/me/passkeys/ceremony", "begin-passkey", "Begin to add a passkey: what the browser is asked (WebAuthn, section 5.4); the current password is asked for again", func(ctx context.Context, in *begin) (*serve.Body[wire.PasskeyCeremony], error) {
		place, err := passkeyPlaceOf(in.Origin)
		if err != nil {
			return nil, err
		}
		id := serve.Caller(ctx).User
		if err := provenAgain(ctx, s, in.Body.CurrentPassword); err != nil {
			return nil, err
		}
		head := s.Ledger.Head()
		u := head.User(id)
		options, ceremony, err := s.Authenticator.BeginPasskey(ctx, place, head.Organisation().Name, id, u.UserName, seeing.Label(u))
		if err != nil {
			return nil, passkeyProblem(err)
		}
		raw, err := json.Marshal(options)
		return serve.Answer(wire.PasskeyCeremony{Ceremony: ceremony, Options: raw}), err
	}, serve.Small, serve.Status(201))
	type add struct {
		FromPage
		Body wire.PasskeyAnswer
	}
	serve.Route(s, "POST", "/me/passkeys", "add-passkey", "Add a passkey: the browser's answer. It signs one in from then on, without the password", func(ctx context.Context, in *add) (*serve.Body[wire.PasskeyAdded], error) {
		place, err := passkeyPlaceOf(in.Origin)
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
		codes, err := s.Authenticator.AddPasskey(ctx, place, serve.Caller(ctx).User, serve.MeansOf(ctx), label, in.Body.Ceremony, in.Body.Response, address(ctx))
		if err != nil {
			return nil, passkeyProblem(err)
		}
		return serve.Answer(wire.PasskeyAdded{Codes: codes}), nil
	}, serve.Small, serve.Status(201))
	type remove struct {
		ID   int64 `path:"id"`
		Body wire.PasskeyBegin
	}
	serve.Route(s, "POST", "/me/passkeys/{id}/removal", "remove-passkey", "Remove one of one's own passkeys; the current password is asked for again", func(ctx context.Context, in *remove) (*serve.None, error) {
		id := serve.Caller(ctx).User
		if err := provenAgain(ctx, s, in.Body.CurrentPassword); err != nil {
			return nil, err
		}
		found, err := s.Authenticator.RemovePasskey(ctx, id, in.ID, address(ctx))
		if err == nil && !found {
			return nil, seeing.NotFound("you have no such passkey")
		}
		return &serve.None{}, err
	}, serve.Small, serve.Status(204))
	serve.Route(s, "POST", "/session/passkey-ceremony", "begin-passkey-sign-in", "Begin to sign in with a passkey: what the browser is asked (WebAuthn, section 5.5)", func(ctx context.Context, in *FromPage) (*serve.Body[wire.PasskeyCeremony], error) {
		place, err := passkeyPlaceOf(in.Origin)
		if err != nil {
			return nil, err
		}
		options, ceremony, err := s.Authenticator.BeginPasskeySignIn(ctx, place)
		if err != nil {
			return nil, passkeyProblem(err)
		}
		raw, err := json.Marshal(options)
		return serve.Answer(wire.PasskeyCeremony{Ceremony: ceremony, Options: raw}), err
	}, serve.Anybody, serve.Small, serve.Status(201))
	type signIn struct {
		FromPage
		Body wire.PasskeyAnswer
	}
	serve.Route(s, "POST", "/session/passkey", "sign-in-with-passkey", "Sign in with a passkey: the browser's answer", func(ctx context.Context, in *signIn) (*withCookie[wire.Me], error) {
		if p := s.TooOld(); p != nil {
			return nil, p
		}
		place, err := passkeyPlaceOf(in.Origin)
		if err != nil {
			return nil, err
		}
		id, text, expires, err := s.Authenticator.PasskeySignIn(ctx, place, in.Body.Ceremony, in.Body.Response, serve.CallOf(ctx).Agent, address(ctx), func(id fact.UserID) bool { return mayLocally(s, id) })
		if err != nil {
			return nil, passkeyProblem(err)
		}
		me := questions.Me(s.Service.Now(ctx, seeing.Caller{User: id, Via: "console"}))
		return &withCookie[wire.Me]{cookies(ctx, s, id, text, expires), me}, nil
	}, serve.Anybody, serve.Small, serve.Status(200))
}

// provenAgain holds a dangerous call to whoever knows the password, beside the session; or, where
// there is none, to who signed in a short while ago.
func provenAgain(ctx context.Context, s *serve.Server, password string) error {
	who := again(ctx, s)
	by, err := s.Authenticator.ConfirmsBy(ctx, who.User)
	if err != nil {
		return err
	}
	if by == signin.BySignIn {
		return s.Confirmed(ctx)
	}
	err = s.Authenticator.Prove(ctx, who, password)
	if errors.Is(err, signin.ErrWrong) {
		return seeing.Invalid("nothing was changed", wire.Fault{Place: "/current_password", Message: "is not right"})
	}
	if err != nil {
		return paused(ctx, s, err, who)
	}
	return nil
}

// passkeyProblem tells an error of a passkey.
func passkeyProblem(err error) error {
	switch {
	case errors.Is(err, signin.ErrPasskey), errors.Is(err, signin.ErrVoidPasskey):
		return &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: "The passkey was not taken", Status: 401, Detail: serve.Upper(err.Error()) + "."}}
	case errors.Is(err, signin.ErrManyPasskeys):
		return seeing.Refused("%s", err)
	}
	return err
}
