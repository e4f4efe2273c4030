package api

import (
	"context"
	"slices"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/changing"
	"ableroster/internal/questions"
	"ableroster/wire"
)

// questionRoutes are the questions people ask beside check and access.
func questionRoutes(s *serve.Server) {
	type checks struct {
		serve.AsOf
		Body wire.ChecksRequest
	}
	serve.Route(s, "POST", "/checks", "checks", "Up to 1,000 checks, answered from one revision", func(ctx context.Context, in *checks) (*serve.Body[wire.ChecksAnswer], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(in.Body.Checks, func(q wire.CheckRequest) bool { return q.Explain }) { // which takes much more than a decision
			if err := s.Enter(ctx, 0); err != nil {
				return nil, err
			}
		}
		answers, err := questions.Checks(v, in.Body.Checks)
		return serve.Answer(wire.ChecksAnswer{Basis: v.Basis(), Answers: answers}), err
	}, serve.Status(200))
	type holders struct {
		serve.AsOf
		serve.Paging
		Application string `query:"application" required:"true" doc:"key or id"`
		Action      string `query:"action" required:"true"`
		Path        string `query:"path" required:"true"`
	}
	serve.Route(s, "GET", "/holders", "list-holders", "Who can do this", func(ctx context.Context, in *holders) (*serve.Body[wire.HolderList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.Holders(v, questions.HolderSearch{Application: in.Application, Action: in.Action, Path: in.Path, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	})
	type roleHolders struct {
		serve.AsOf
		serve.Paging
		Role string `path:"role" doc:"application/key with the slash escaped, a key, or an id"`
	}
	serve.Route(s, "GET", "/roles/{role}/holders", "list-role-holders", "The users who hold a role, through whatever", func(ctx context.Context, in *roleHolders) (*serve.Body[wire.HolderList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.RoleHolding(v, in.Role, in.Cursor, in.Limit)
		return serve.Answer(out), err
	})
	type between struct {
		serve.Paging
		From        time.Time `query:"from" required:"true" doc:"an instant (RFC 3339)"`
		To          time.Time `query:"to" doc:"a later instant, now by default"`
		User        string    `query:"user" doc:"only what this user gained and lost"`
		Application string    `query:"application" doc:"only in this application"`
		Role        string    `query:"role" doc:"only who came to hold this role or ceased to, and what it gives"`
	}
	serve.Route(s, "GET", "/gained-and-lost", "list-gained-and-lost", "Who gained and lost what from one instant to another", func(ctx context.Context, in *between) (*serve.Body[wire.GainedAndLost], error) {
		out, err := questions.GainedAndLost(ctx, s.Service, serve.Caller(ctx), questions.BetweenSearch{From: in.From, To: in.To, User: in.User, Application: in.Application, Role: in.Role, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	}, serve.Heavy)
	type timeline struct {
		User        string `path:"user" doc:"user name or id"`
		Application string `query:"application" required:"true" doc:"key or id"`
		Action      string `query:"action" required:"true"`
		Path        string `query:"path" required:"true"`
	}
	serve.Route(s, "GET", "/users/{user}/timeline/permission", "get-permission-timeline", "From when to when a user held something, and through what", func(ctx context.Context, in *timeline) (*serve.Body[wire.PermissionTimeline], error) {
		out, err := questions.PermissionTimeline(ctx, s.Service, serve.Caller(ctx), in.User, in.Application, in.Action, in.Path)
		return serve.Answer(out), err
	})
	type rehearsal struct {
		Application string `path:"application" doc:"key or id"`
	}
	serve.Route(s, "GET", "/applications/{application}/rehearsal", "get-rehearsal", "What a rehearsal let through that live would deny", func(ctx context.Context, in *rehearsal) (*serve.Body[wire.Rehearsal], error) {
		out, err := questions.Rehearsal(ctx, s.Service, serve.Caller(ctx), in.Application)
		return serve.Answer(out), err
	})
	type whatIf struct{ Body wire.WhatIfRequest }
	serve.Route(s, "POST", "/what-if", "what-if", "Questions under a change that is not made", func(ctx context.Context, in *whatIf) (*serve.Body[wire.WhatIfAnswer], error) {
		out, err := changing.WhatIf(ctx, s.Service, serve.Caller(ctx), in.Body)
		return serve.Answer(out), err
	}, serve.Heavy, serve.Status(200))
}
