package api

import (
	"context"

	"ableroster/internal/lists"
	"ableroster/internal/questions"
	"ableroster/internal/saved"
	"ableroster/wire"
)

// peopleRoutes are the parts of the work on people that lists alone do not do.
func (s *Server) peopleRoutes() {
	route(s, "GET", "/attributes", "list-attributes", "The attributes of users that the organisation declared", func(ctx context.Context, in *AsOf) (*body[wire.AttributeList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return &body[wire.AttributeList]{lists.Attributes(v)}, nil
	})
	type valuesOf struct {
		AsOf
		Attribute string `path:"attribute" maxLength:"64" doc:"unit, title … or the key of a declared one"`
		Role      string `query:"role" doc:"count too how many hold this role, through whatever"`
	}
	route(s, "GET", "/attributes/{attribute}/values", "list-attribute-values", "The values that users have for an attribute, and how many have each", func(ctx context.Context, in *valuesOf) (*body[wire.ValueList], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.Values(v, in.Attribute, in.Role)
		return &body[wire.ValueList]{out}, err
	}, heavy)
	type oneUser struct {
		AsOf
		User string `path:"user" doc:"user name or id"`
	}
	route(s, "GET", "/users/{user}/owned", "get-owned", "What a user owns: what to hand over when they depart", func(ctx context.Context, in *oneUser) (*body[wire.Owned], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		id, err := lists.FindReadable(v, in.User)
		if err != nil {
			return nil, err
		}
		return &body[wire.Owned]{lists.Owned(v, id)}, nil
	})
	type compare struct {
		AsOf
		User string `path:"user" doc:"user name or id"`
		With string `query:"with" required:"true" maxLength:"200" doc:"the other user: user name or id"`
	}
	route(s, "GET", "/users/{user}/comparison", "compare-users", "What each of two users has that the other has not, with the operations that give it alike", func(ctx context.Context, in *compare) (*body[wire.UserComparison], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := questions.CompareUsers(v, in.User, in.With)
		return &body[wire.UserComparison]{out}, err
	})
	type groupMembers struct {
		AsOf
		Paging
		Group string `path:"group" doc:"key or id"`
		Query string `query:"q" maxLength:"200" doc:"text in the name or user name"`
	}
	route(s, "GET", "/groups/{group}/members", "list-group-members", "Who is in a group, at any depth, and why", func(ctx context.Context, in *groupMembers) (*body[wire.GroupMemberList], error) {
		v, err := s.view(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := lists.MembersOf(v, in.Group, in.Query, in.Cursor, in.Limit)
		return &body[wire.GroupMemberList]{out}, err
	})
	route(s, "GET", "/delegations", "list-delegations", "Delegated administration: who may administer what, in plain words, and the roles for it", func(ctx context.Context, in *AsOf) (*body[wire.DelegationList], error) {
		v, err := s.view(ctx, *in)
		if err != nil {
			return nil, err
		}
		return &body[wire.DelegationList]{questions.Delegations(v)}, nil
	})
	route(s, "GET", "/me/access", "my-access", "My access: each role with its reason, its end and who gave it", func(ctx context.Context, _ *struct{}) (*body[wire.MyAccess], error) {
		return &body[wire.MyAccess]{questions.MyAccess(s.service.Now(ctx, caller(ctx)))}, nil
	})
	route(s, "GET", "/views", "list-views", "One's own views of the list of users, and those that others share", func(ctx context.Context, _ *struct{}) (*body[wire.SavedViewList], error) {
		out, err := lists.Views(ctx, s.service, caller(ctx))
		return &body[wire.SavedViewList]{out}, err
	})
	type OneView struct {
		View string `path:"view" doc:"key, of lower-case words joined by hyphens"`
	}
	route(s, "GET", "/views/{view}", "get-view", "One's own view of a key, or the one that is shared under it", func(ctx context.Context, in *OneView) (*body[wire.SavedView], error) {
		out, err := lists.View(ctx, s.service, caller(ctx), in.View)
		return &body[wire.SavedView]{out}, err
	})
	seen := func(ctx context.Context, key string, c Conditions) (saved.Seen, error) {
		now, err := lists.View(ctx, s.service, caller(ctx), key)
		return c.seen(now, now.ChangedAt, err)
	}
	type putView struct {
		OneView
		Conditions
		Body wire.ViewRequest
	}
	type endView struct {
		OneView
		Conditions
	}
	route(s, "PUT", "/views/{view}", "save-view", "Save a view of the list of users, in the place of one's own of that key", func(ctx context.Context, in *putView) (*none, error) {
		was, err := seen(ctx, in.View, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &none{}, lists.PutView(ctx, s.service, caller(ctx), in.View, in.Body, was)
	}, status(204), conditional)
	route(s, "DELETE", "/views/{view}", "delete-view", "Remove a saved view", func(ctx context.Context, in *endView) (*none, error) {
		was, err := seen(ctx, in.View, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &none{}, lists.DeleteView(ctx, s.service, caller(ctx), in.View, was)
	}, status(204), conditional)
}
