package api

import (
	"context"

	"ableroster/internal/lists"
	"ableroster/internal/questions"
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
	type putView struct {
		OneView
		Body wire.ViewRequest
	}
	route(s, "PUT", "/views/{view}", "save-view", "Save a view of the list of users, in the place of one's own of that key", func(ctx context.Context, in *putView) (*none, error) {
		return &none{}, lists.PutView(ctx, s.service, caller(ctx), in.View, in.Body)
	}, status(204))
	route(s, "DELETE", "/views/{view}", "delete-view", "Remove a saved view", func(ctx context.Context, in *OneView) (*none, error) {
		return &none{}, lists.DeleteView(ctx, s.service, caller(ctx), in.View)
	}, status(204))
}
