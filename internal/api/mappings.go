package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/importfile"
	"ableroster/internal/saved"
	"ableroster/internal/transfer"
	"ableroster/wire"
)

// mappingRoutes are saved mappings: how the columns of files become attributes of users.
func mappingRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/mappings", "list-mappings", "One's own mappings of files of users, and those that others share", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.SavedMappingList], error) {
		out, err := transfer.Mappings(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	})
	type OneMapping struct {
		Mapping string `path:"mapping" doc:"key, of lower-case words joined by hyphens"`
	}
	serve.Route(s, "GET", "/mappings/{mapping}", "get-mapping", "One's own mapping of a key, or the one that is shared under it", func(ctx context.Context, in *OneMapping) (*serve.Body[wire.SavedMapping], error) {
		out, err := transfer.OneMapping(ctx, s.Service, serve.Caller(ctx), in.Mapping)
		return serve.Answer(out), err
	})
	seen := func(ctx context.Context, key string, c serve.Conditions) (saved.Seen, error) {
		now, err := transfer.OneMapping(ctx, s.Service, serve.Caller(ctx), key)
		return c.Seen(now, now.ChangedAt, err)
	}
	type endMapping struct {
		OneMapping
		serve.Conditions
	}
	type putMapping struct {
		OneMapping
		serve.Conditions
		Body struct {
			Label   string             `json:"label" minLength:"1" maxLength:"100"`
			Shared  bool               `json:"shared,omitempty" doc:"for everybody; asks for update on settings"`
			Mapping importfile.Mapping `json:"mapping"`
		}
	}
	serve.Route(s, "PUT", "/mappings/{mapping}", "save-mapping", "Save a mapping, in the place of one's own of that key", func(ctx context.Context, in *putMapping) (*serve.None, error) {
		was, err := seen(ctx, in.Mapping, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &serve.None{}, transfer.PutMapping(ctx, s.Service, serve.Caller(ctx), in.Mapping, in.Body.Label, in.Body.Shared, in.Body.Mapping, was)
	}, serve.Status(204), serve.Conditional)
	serve.Route(s, "DELETE", "/mappings/{mapping}", "delete-mapping", "Remove a saved mapping", func(ctx context.Context, in *endMapping) (*serve.None, error) {
		was, err := seen(ctx, in.Mapping, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &serve.None{}, transfer.DeleteMapping(ctx, s.Service, serve.Caller(ctx), in.Mapping, was)
	}, serve.Status(204), serve.Conditional)
}
