package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// applicationRoutes are how applications and roles are described and watched:
// coverage, comparisons, going live, expectations and findings.
func applicationRoutes(s *serve.Server) {
	type OneApplication struct {
		serve.AsOf
		Application string `path:"application" doc:"key or id"`
	}
	serve.Route(s, "GET", "/applications/{application}/coverage", "get-coverage", "Which roles reach what of an application, what nothing reaches and what everybody does", func(ctx context.Context, in *OneApplication) (*serve.Body[wire.Coverage], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.Coverage(v, in.Application)
		return serve.Answer(out), err
	})
	type onePattern struct {
		OneApplication
		Pattern string `query:"pattern" required:"true" maxLength:"4000" doc:"a path whose segments may contain *"`
	}
	serve.Route(s, "GET", "/applications/{application}/covered", "get-covered", "What a pattern covers today, and what it will", func(ctx context.Context, in *onePattern) (*serve.Body[wire.PatternCover], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.PatternCover(v, in.Application, in.Pattern)
		return serve.Answer(out), err
	})
	type comparing struct {
		Application string `path:"application" doc:"key or id"`
		Body        wire.ComparisonRequest
	}
	serve.Route(s, "POST", "/applications/{application}/comparison", "compare-application", "How an application's own list of what it has differs from what is registered", func(ctx context.Context, in *comparing) (*serve.Body[wire.Comparison], error) {
		out, err := questions.Compare(ctx, s.Service, serve.Caller(ctx), in.Application, in.Body)
		return serve.Answer(out), err
	}, serve.Status(200), serve.Heavy, serve.Large)
	type present struct {
		Application string `path:"application" doc:"key or id"`
	}
	serve.Route(s, "GET", "/applications/{application}/going-live", "going-live", "What would change if an application went live now", func(ctx context.Context, in *present) (*serve.Body[wire.GoingLive], error) {
		out, err := questions.GoingLive(ctx, s.Service, serve.Caller(ctx), in.Application)
		return serve.Answer(out), err
	})
	type twoRoles struct {
		serve.AsOf
		Role string `path:"role" doc:"application/key with the slash escaped, a key, or an id"`
		With string `query:"with" required:"true" maxLength:"200" doc:"the other role"`
	}
	serve.Route(s, "GET", "/roles/{role}/comparison", "compare-roles", "What each of two roles gives that the other does not", func(ctx context.Context, in *twoRoles) (*serve.Body[wire.RoleComparison], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.CompareRoles(v, in.Role, in.With)
		return serve.Answer(out), err
	})
	type viewing struct {
		serve.AsOf
		User    string `query:"user" maxLength:"200" doc:"user name or id; nothing for nobody signed in"`
		Nobody  bool   `query:"nobody" doc:"or nobody signed in"`
		WouldBe string `query:"would_be" maxLength:"2000" doc:"or somebody who is not there yet: a JSON object of texts: kind, and built-in attributes such as unit, title and employment_type"`
	}
	serve.Route(s, "GET", "/view-as", "view-as", "What somebody else can do in each application; that it was looked at is recorded", func(ctx context.Context, in *viewing) (*serve.Body[wire.ViewAs], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		newcomer, err := wouldBe(in.WouldBe)
		if err != nil {
			return nil, err
		}
		out, err := questions.ViewAs(v, in.User, newcomer, in.Nobody)
		if err == nil && out.Kind == "user" {
			x := serve.CallOf(ctx)
			s.Authenticator.Record(ctx, signin.Event{Event: "viewed as somebody else", Actor: x.Caller.User, User: questions.IDOf(v, out.Who), Address: x.Address})
		}
		return serve.Answer(out), err
	})
	type expected struct {
		serve.AsOf
		Application string `query:"application" maxLength:"100" doc:"about this application"`
	}
	serve.Route(s, "GET", "/expectations", "list-expectations", "Checks that must keep holding, and whether they do", func(ctx context.Context, in *expected) (*serve.Body[wire.ExpectationList], error) {
		out, err := questions.Expectations(ctx, s.Service, serve.Caller(ctx), in.AsOf.AsOf, in.Application)
		return serve.Answer(out), err
	})
	type wrong struct {
		serve.Paging
		Code        string `query:"code" maxLength:"100" doc:"of this kind"`
		Application string `query:"application" maxLength:"100" doc:"in this application"`
		Aside       bool   `query:"aside" doc:"those set aside, instead of the others"`
	}
	serve.Route(s, "GET", "/findings", "list-findings", "What looks wrong, why it matters and what would mend it", func(ctx context.Context, in *wrong) (*serve.Body[wire.FindingList], error) {
		out, err := questions.Findings(ctx, s.Service, serve.Caller(ctx), questions.FindingSearch{Code: in.Code, Application: in.Application, Aside: in.Aside, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	})
}
