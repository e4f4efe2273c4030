package api

import (
	"context"
	"errors"

	"ableroster/internal/fact"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// Who needs a second factor.
const (
	SecondOffered        = "offered"        // nobody: everybody may have one
	SecondAdministrators = "administrators" // whoever may do something to others in Able Roster
	SecondEverybody      = "everybody"
)

// needsSecond says whether somebody must have a second factor.
func (s *Server) needsSecond(user fact.UserID) bool {
	u := s.ledger.Head().User(user)
	if u == nil || u.UserKind != fact.Person {
		return false
	}
	switch s.o.SecondFactor {
	case SecondEverybody:
		return true
	case SecondAdministrators:
		return s.authenticator.Administers(user)
	}
	return false
}

// withoutSecond are the calls that are answered before one has the second factor one needs.
var withoutSecond = map[string]bool{"GET /api/v1/me": true, "GET /api/v1/me/second-factor": true, "POST /api/v1/me/second-factor": true, "PUT /api/v1/me/second-factor": true,
	"GET /api/v1/me/passkeys": true, "POST /api/v1/me/passkeys": true, "POST /api/v1/me/passkeys/ceremony": true,
	"DELETE /api/v1/session": true, "PUT /api/v1/me/password": true}

func (s *Server) factorRoutes() {
	route(s, "GET", "/me/second-factor", "second-factor", "Whether one has a second factor, and needs one", func(ctx context.Context, _ *struct{}) (*body[wire.SecondFactor], error) {
		id := caller(ctx).User
		active, err := s.authenticator.HasSecond(ctx, id)
		if err != nil {
			return nil, err
		}
		app, err := s.authenticator.UsesApp(ctx, id)
		if err != nil {
			return nil, err
		}
		left, err := s.authenticator.RecoveryLeft(ctx, id)
		return &body[wire.SecondFactor]{wire.SecondFactor{Active: active, App: app, Needed: !active && s.needsSecond(id), RecoveryCodes: left}}, err
	})
	route(s, "POST", "/me/second-factor", "begin-second-factor", "Make a secret for an authenticator app (RFC 6238); it counts once a code of it is given back", func(ctx context.Context, _ *struct{}) (*body[wire.NewFactor], error) {
		head := s.ledger.Head()
		secret, address, err := s.authenticator.BeginSecond(ctx, caller(ctx).User, head.Organisation().Name, head.User(caller(ctx).User).UserName)
		return &body[wire.NewFactor]{wire.NewFactor{Secret: secret, Address: address}}, factorProblem(err)
	}, small, status(201))
	type code struct{ Body wire.CodeRequest }
	route(s, "PUT", "/me/second-factor", "confirm-second-factor", "Give back the first code of a new secret; it is asked for from then on. The answer has the recovery codes", func(ctx context.Context, in *code) (*body[wire.RecoveryCodes], error) {
		out, err := s.authenticator.ConfirmSecond(ctx, caller(ctx).User, in.Body.Code, address(ctx))
		return &body[wire.RecoveryCodes]{wire.RecoveryCodes{Codes: out}}, factorProblem(err)
	}, small, status(200))
	route(s, "POST", "/me/second-factor/recovery-codes", "make-recovery-codes", "Make recovery codes in the place of those there are, by a code", func(ctx context.Context, in *code) (*body[wire.RecoveryCodes], error) {
		if err := s.authenticator.ProveSecond(ctx, caller(ctx).User, in.Body.Code, address(ctx)); err != nil {
			return nil, factorProblem(err)
		}
		out, err := s.authenticator.NewRecoveryCodes(ctx, caller(ctx).User, address(ctx))
		return &body[wire.RecoveryCodes]{wire.RecoveryCodes{Codes: out}}, factorProblem(err)
	}, small, status(201))
	route(s, "POST", "/me/second-factor/removal", "remove-second-factor", "Remove one's own second factor, by a code", func(ctx context.Context, in *code) (*none, error) {
		if err := s.authenticator.ProveSecond(ctx, caller(ctx).User, in.Body.Code, address(ctx)); err != nil {
			return nil, factorProblem(err)
		}
		return &none{}, factorProblem(s.authenticator.RemoveSecond(ctx, caller(ctx).User, address(ctx)))
	}, small, status(204))
	type one struct {
		User string `path:"user" doc:"user name or id"`
	}
	route(s, "POST", "/users/{user}/second-factor-removal", "help-second-factor", "Remove the second factor of somebody who lost it: two administrators do so, within a day", func(ctx context.Context, in *one) (*body[wire.FactorRemoval], error) {
		v := s.service.Now(ctx, caller(ctx))
		id, _, err := questions.SignInFor(v, in.User)
		if err != nil {
			return nil, err
		}
		err = s.authenticator.HelpSecond(ctx, id, caller(ctx).User, address(ctx))
		if errors.Is(err, signin.ErrSameHelper) {
			return &body[wire.FactorRemoval]{wire.FactorRemoval{Next: upper(err.Error()) + "."}}, nil
		}
		return &body[wire.FactorRemoval]{wire.FactorRemoval{Removed: err == nil}}, factorProblem(err)
	}, small, status(200))
	route(s, "GET", "/me/sessions", "list-sessions", "One's own sessions, by device", func(ctx context.Context, _ *struct{}) (*body[wire.SessionList], error) {
		all, err := s.authenticator.Sessions(ctx, caller(ctx).User, callOf(ctx).cookie)
		out := wire.SessionList{Sessions: []wire.Session{}}
		for _, x := range all {
			out.Sessions = append(out.Sessions, wire.Session{ID: x.ID, Device: x.Device, Address: x.Address, OpenedAt: x.Opened.UTC(), UsedAt: x.Used.UTC(), ExpiresAt: x.Expires.UTC(), Here: x.Here})
		}
		return &body[wire.SessionList]{out}, err
	})
	type session struct {
		ID int64 `path:"id"`
	}
	route(s, "DELETE", "/me/sessions/{id}", "end-session", "End one of one's own sessions", func(ctx context.Context, in *session) (*none, error) {
		found, err := s.authenticator.EndSession(ctx, caller(ctx).User, caller(ctx).User, in.ID, address(ctx))
		if err == nil && !found {
			return nil, seeing.NotFound("you have no such session")
		}
		return &none{}, err
	}, status(204))
}

// factorProblem tells an error of a second factor.
func factorProblem(err error) error {
	switch {
	case errors.Is(err, signin.ErrCode), errors.Is(err, signin.ErrSecond), errors.Is(err, signin.ErrUsesPasskey):
		return seeing.Invalid("nothing was changed", wire.Fault{Place: "/code", Message: err.Error()})
	case errors.Is(err, signin.ErrHasFactor), errors.Is(err, signin.ErrNoFactor):
		return seeing.Refused("%s", err)
	case errors.Is(err, signin.ErrPaused):
		return &problem{retryAfter: 60, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429, Detail: "Too many codes were wrong. Try again in a minute."}}
	}
	return err
}
