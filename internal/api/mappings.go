package api

import (
	"context"

	"ableroster/internal/importfile"
	"ableroster/internal/saved"
	"ableroster/internal/transfer"
	"ableroster/wire"
)

// mappingRoutes are saved mappings: how the columns of files become attributes of users.
func (s *Server) mappingRoutes() {
	route(s, "GET", "/mappings", "list-mappings", "One's own mappings of files of users, and those that others share", func(ctx context.Context, _ *struct{}) (*body[wire.SavedMappingList], error) {
		out, err := transfer.Mappings(ctx, s.service, caller(ctx))
		return &body[wire.SavedMappingList]{out}, err
	})
	type OneMapping struct {
		Mapping string `path:"mapping" doc:"key, of lower-case words joined by hyphens"`
	}
	route(s, "GET", "/mappings/{mapping}", "get-mapping", "One's own mapping of a key, or the one that is shared under it", func(ctx context.Context, in *OneMapping) (*body[wire.SavedMapping], error) {
		out, err := transfer.OneMapping(ctx, s.service, caller(ctx), in.Mapping)
		return &body[wire.SavedMapping]{out}, err
	})
	seen := func(ctx context.Context, key string, c Conditions) (saved.Seen, error) {
		now, err := transfer.OneMapping(ctx, s.service, caller(ctx), key)
		return c.seen(now, now.ChangedAt, err)
	}
	type endMapping struct {
		OneMapping
		Conditions
	}
	type putMapping struct {
		OneMapping
		Conditions
		Body struct {
			Label   string             `json:"label" minLength:"1" maxLength:"100"`
			Shared  bool               `json:"shared,omitempty" doc:"for everybody; asks for update on settings"`
			Mapping importfile.Mapping `json:"mapping"`
		}
	}
	route(s, "PUT", "/mappings/{mapping}", "save-mapping", "Save a mapping, in the place of one's own of that key", func(ctx context.Context, in *putMapping) (*none, error) {
		was, err := seen(ctx, in.Mapping, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &none{}, transfer.PutMapping(ctx, s.service, caller(ctx), in.Mapping, in.Body.Label, in.Body.Shared, in.Body.Mapping, was)
	}, status(204), conditional)
	route(s, "DELETE", "/mappings/{mapping}", "delete-mapping", "Remove a saved mapping", func(ctx context.Context, in *endMapping) (*none, error) {
		was, err := seen(ctx, in.Mapping, in.Conditions)
		if err != nil {
			return nil, err
		}
		return &none{}, transfer.DeleteMapping(ctx, s.service, caller(ctx), in.Mapping, was)
	}, status(204), conditional)
}
