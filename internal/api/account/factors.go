package account

import (
	"context"
	"errors"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

func factorRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/me/second-factor", "second-factor", "Whether one has a second factor, and needs one", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.SecondFactor], error) {
		id := serve.Caller(ctx).User
		active, err := s.Authenticator.HasSecond(ctx, id)
		if err != nil {
			return nil, err
		}
		app, err := s.Authenticator.UsesApp(ctx, id)
		if err != nil {
			return nil, err
		}
		by, err := s.Authenticator.ConfirmsBy(ctx, id)
		if err != nil {
			return nil, err
		}
		left, err := s.Authenticator.RecoveryLeft(ctx, id)
		return serve.Answer(wire.SecondFactor{Active: active, App: app, ConfirmBy: by, Needed: !active && s.NeedsSecond(id), RecoveryCodes: left}), err
	})
	serve.Route(s, "POST", "/me/second-factor", "begin-second-factor", "Make a secret for an authenticator app (RFC 6238); it counts once a code of it is given back", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.NewFactor], error) {
		head := s.Ledger.Head()
		secret, address, err := s.Authenticator.BeginSecond(ctx, serve.Caller(ctx).User, head.Organisation().Name, head.User(serve.Caller(ctx).User).UserName)
		return serve.Answer(wire.NewFactor{Secret: secret, Address: address}), factorProblem(err)
	}, serve.Small, serve.Confirms, serve.Status(201))
	type code struct{ Body wire.CodeRequest }
	serve.Route(s, "PUT", "/me/second-factor", "confirm-second-factor", "Give back the first code of a new secret; it is asked for from then on. The answer has the recovery codes", func(ctx context.Context, in *code) (*serve.Body[wire.RecoveryCodes], error) {
		out, err := s.Authenticator.ConfirmSecond(ctx, serve.Caller(ctx).User, serve.MeansOf(ctx), in.Body.Code, address(ctx))
		return serve.Answer(wire.RecoveryCodes{Codes: out}), factorProblem(err)
	}, serve.Small, serve.Status(200))
	serve.Route(s, "POST", "/me/second-factor/recovery-codes", "make-recovery-codes", "Make new recovery codes, which replace the old ones; a code is needed", func(ctx context.Context, in *code) (*serve.Body[wire.RecoveryCodes], error) {
		if err := s.Authenticator.ProveSecond(ctx, serve.Caller(ctx).User, in.Body.Code, address(ctx)); err != nil {
			return nil, factorProblem(err)
		}
		out, err := s.Authenticator.NewRecoveryCodes(ctx, serve.Caller(ctx).User, address(ctx))
		return serve.Answer(wire.RecoveryCodes{Codes: out}), factorProblem(err)
	}, serve.Small, serve.Status(201))
	serve.Route(s, "POST", "/me/second-factor/removal", "remove-second-factor", "Remove one's own second factor; a code is needed", func(ctx context.Context, in *code) (*serve.None, error) {
		if err := s.Authenticator.ProveSecond(ctx, serve.Caller(ctx).User, in.Body.Code, address(ctx)); err != nil {
			return nil, factorProblem(err)
		}
		return &serve.None{}, factorProblem(s.Authenticator.RemoveSecond(ctx, serve.Caller(ctx).User, address(ctx)))
	}, serve.Small, serve.Status(204))
	type one struct {
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "POST", "/users/{user}/second-factor-removal", "help-second-factor", "Remove the second factor of somebody who lost it: two administrators do so, within a day", func(ctx context.Context, in *one) (*serve.Body[wire.FactorRemoval], error) {
		v := s.Service.Now(ctx, serve.Caller(ctx))
		id, _, err := questions.SignInFor(v, in.User)
		if err != nil {
			return nil, err
		}
		err = s.Authenticator.HelpSecond(ctx, id, serve.Caller(ctx).User, address(ctx))
		if errors.Is(err, signin.ErrSameHelper) {
			return serve.Answer(wire.FactorRemoval{Next: serve.Upper(err.Error()) + "."}), nil
		}
		return serve.Answer(wire.FactorRemoval{Removed: err == nil}), factorProblem(err)
	}, serve.Small, serve.Confirms, serve.Status(200))
	serve.Route(s, "GET", "/me/sessions", "list-sessions", "One's own sessions, by device", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.SessionList], error) {
		all, err := s.Authenticator.Sessions(ctx, serve.Caller(ctx).User, serve.CallOf(ctx).Cookie)
		out := wire.SessionList{Sessions: []wire.Session{}}
		for _, x := range all {
			out.Sessions = append(out.Sessions, wire.Session{ID: x.ID, Device: x.Device, Address: x.Address, OpenedAt: x.Opened.UTC(), UsedAt: x.Used.UTC(), ExpiresAt: x.Expires.UTC(), Here: x.Here})
		}
		return serve.Answer(out), err
	})
	type session struct {
		ID int64 `path:"id"`
	}
	serve.Route(s, "DELETE", "/me/sessions/{id}", "end-session", "End one of one's own sessions", func(ctx context.Context, in *session) (*serve.None, error) {
		found, err := s.Authenticator.EndSession(ctx, serve.Caller(ctx).User, serve.Caller(ctx).User, in.ID, address(ctx))
		if err == nil && !found {
			return nil, seeing.NotFound("you have no such session")
		}
		return &serve.None{}, err
	}, serve.Status(204))
}

// factorProblem tells an error of a second factor.
func factorProblem(err error) error {
	switch {
	case errors.Is(err, signin.ErrCode), errors.Is(err, signin.ErrSecond), errors.Is(err, signin.ErrUsesPasskey):
		return seeing.Invalid("nothing was changed", wire.Fault{Place: "/code", Message: err.Error()})
	case errors.Is(err, signin.ErrHasFactor), errors.Is(err, signin.ErrNoFactor):
		return seeing.Refused("%s", err)
	case errors.Is(err, signin.ErrPaused):
		return &serve.Problem{RetryAfter: 60, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429, Detail: "Too many codes were wrong. Try again in a minute."}}
	}
	return err
}
