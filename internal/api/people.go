package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/internal/saved"
	"ableroster/wire"
)

// peopleRoutes are the parts of the work on people that lists alone do not do.
func peopleRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/attributes", "list-attributes", "The attributes of users that the organisation declared", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.AttributeList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.Attributes(v)), nil
	})
	type valuesOf struct {
		serve.AsOf
		Attribute string `path:"attribute" maxLength:"64" doc:"unit, title … or the key of a declared one"`
		Role      string `query:"role" doc:"count too how many hold this role, through whatever"`
	}
	serve.Route(s, "GET", "/attributes/{attribute}/values", "list-attribute-values", "The values that users have for an attribute, and how many have each", func(ctx context.Context, in *valuesOf) (*serve.Body[wire.ValueList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Values(v, in.Attribute, in.Role)
		return serve.Answer(out), err
	}, serve.Heavy)
	type oneUser struct {
		serve.AsOf
		User string `path:"user" doc:"user name or id"`
	}
	serve.Route(s, "GET", "/users/{user}/owned", "get-owned", "What a user owns: what to hand over when they depart", func(ctx context.Context, in *oneUser) (*serve.Body[wire.Owned], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		id, err := lists.FindReadable(v, in.User)
		if err != nil {
			return nil, err
		}
		return serve.Answer(lists.Owned(v, id)), nil
	})
	type compare struct {
		serve.AsOf
		User string `path:"user" doc:"user name or id"`
		With string `query:"with" required:"true" maxLength:"200" doc:"the other user: user name or id"`
	}
	serve.Route(s, "GET", "/users/{user}/comparison", "compare-users", "What each of two users has that the other has not, with the operations that give it alike", func(ctx context.Context, in *compare) (*serve.Body[wire.UserComparison], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.CompareUsers(v, in.User, in.With)
		return serve.Answer(out), err
	})
	type groupMembers struct {
		serve.AsOf
		serve.Paging
		Group string `path:"group" doc:"key or id"`
		Query string `query:"q" maxLength:"200" doc:"text in the name or user name"`
	}
	serve.Route(s, "GET", "/groups/{group}/members", "list-group-members", "Who is in a group, at any depth, and why", func(ctx context.Context, in *groupMembers) (*serve.Body[wire.GroupMemberList], error) {
		v, err := s.View(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.MembersOf(v, in.Group, in.Query, in.Cursor, in.Limit)
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/delegations", "list-delegations", "Delegated administration: who may administer what, in plain words, and the roles for it", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.DelegationList], error) {
		v, err := s.View(ctx, *in)
		if err != nil {
			return nil, err
		}
		return serve.Answer(questions.Delegations(v)), nil
	})
	serve.Route(s, "GET", "/me/access", "my-access", "My access: each role with its reason, its end and who gave it", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.MyAccess], error) {
		return serve.Answer(questions.MyAccess(s.Service.Now(ctx, serve.Caller(ctx)))), nil
	})
	serve.Route(s, "GET", "/views", "list-views", "One's own views of the list of users, and those that others share", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.SavedViewList], error) {
		out, err := lists.Views(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	})
	type OneView struct {
		View string `path:"view" doc:"key, of lower-case words joined by hyphens"`
	}
	serve.Route(s, "GET", "/views/{view}", "get-view", "One's own view of a key, or the one that is shared under it", func(ctx context.Context, in *OneView) (*serve.Body[wire.SavedView], error) {
		out, err := lists.View(ctx, s.Service, serve.Caller(ctx), in.View)
		return serve.Answer(out), err
	})
	seen := func(ctx context.Context, key string, c serve.Conditions) (saved.Seen, error) {
		now, err := lists.View(ctx, s.Service, serve.Caller(ctx), key)
		return c.Seen(now, now.ChangedAt, err)
	}
	type putView struct {
		OneView
		serve.Conditions
		Body wire.ViewRequest
	}
	type endView struct {
		OneView
		serve.Conditions
	}
	serve.Route(s, "PUT", "/views/{view}", "save-view", "Save a view of the list of users, in the place of one's own of that key", func(ctx context.Context, in *putView) (*serve.None, error) {
		was, err := seen(ctx, in.View, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &serve.None{}, lists.PutView(ctx, s.Service, serve.Caller(ctx), in.View, in.Body, was)
	}, serve.Status(204), serve.Conditional)
	serve.Route(s, "DELETE", "/views/{view}", "delete-view", "Remove a saved view", func(ctx context.Context, in *endView) (*serve.None, error) {
		was, err := seen(ctx, in.View, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &serve.None{}, lists.DeleteView(ctx, s.Service, serve.Caller(ctx), in.View, was)
	}, serve.Status(204), serve.Conditional)
}
