package api

import (
	"context"
	"fmt"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/internal/report"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// reportRoutes give reports of access for whoever checks it: to be printed, and to be kept.
func reportRoutes(s *serve.Server) {
	type user struct {
		serve.AsOf
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "GET", "/reports/users/{user}", "get-user-report", "A user's access as a report, with revision and hash", func(ctx context.Context, in *user) (*serve.File, error) {
		v, id, err := s.Service.AsOfUser(ctx, serve.Caller(ctx), in.AsOf.AsOf, in.User)
		if err != nil {
			return nil, err
		}
		u := lists.User(v, id)
		return reported("access-"+u.UserName, u.Revision)(report.User(headOf(ctx, s, v, u.Basis), u, questions.Access(v, id)))
	}, serve.Heavy, serve.Files("text/html"))
	type role struct {
		serve.AsOf
		Role string `path:"role" doc:"application/key, a key, or an id, the slash escaped"`
	}
	serve.Route(s, "GET", "/reports/roles/{role}", "get-role-report", "A role's holders as a report, with revision and hash", func(ctx context.Context, in *role) (*serve.File, error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		r, err := lists.Role(v, in.Role)
		if err != nil {
			return nil, err
		}
		holders, err := questions.RoleHolding(v, in.Role, "", mostListed)
		if err != nil {
			return nil, err
		}
		return reported("role", r.Revision)(report.Role(headOf(ctx, s, v, r.Basis), r, holders.Holders))
	}, serve.Heavy, serve.Files("text/html"))
	type revision struct {
		Revision int64 `path:"revision" minimum:"1"`
	}
	serve.Route(s, "GET", "/reports/revisions/{revision}", "get-revision-report", "A revision as a report: who made it and why, and what it did to whom", func(ctx context.Context, in *revision) (*serve.File, error) {
		c := serve.Caller(ctx)
		all, err := questions.History(ctx, s.Service, c, questions.Past{Number: in.Revision, Limit: 1, Operations: 5000})
		if err != nil {
			return nil, err
		}
		r := all.Revisions[0]
		var effect []wire.Difference
		if r.Revision > 1 {
			x, err := questions.GainedAndLost(ctx, s.Service, c, questions.BetweenSearch{From: r.At.Add(-time.Microsecond), To: r.At, Limit: 5000})
			if err != nil {
				return nil, err
			}
			effect = x.Users
		}
		v := s.Service.Now(ctx, c)
		return reported("revision", r.Revision)(report.Revision(headOf(ctx, s, v, wire.Basis{Revision: r.Revision, At: r.At}), r, effect))
	}, serve.Heavy, serve.Files("text/html"))
}

// headOf is what a report says of itself. The hash is for whoever may read the ledger.
func headOf(ctx context.Context, s *serve.Server, v *seeing.View, basis wire.Basis) report.Head {
	h := report.Head{Organisation: v.Organisation().Name, Basis: basis, Outside: !v.SeesAll(), Zone: v.Zone()}
	if head, err := questions.Head(ctx, s.Service, v.Caller, basis.Revision); err == nil {
		h.Hash = head.Hash
	}
	return h
}

// reported is a report as a file.
func reported(name string, revision int64) func([]byte, error) (*serve.File, error) {
	return func(raw []byte, err error) (*serve.File, error) {
		if err != nil {
			return nil, err
		}
		return serve.BytesFile("text/html; charset=utf-8", serve.Attachment(fmt.Sprintf("%s-revision-%d.html", name, revision)), raw), nil
	}
}
