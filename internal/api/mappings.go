package api

import (
	"context"

	"ableroster/internal/importfile"
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
	type putMapping struct {
		OneMapping
		Body struct {
			Label   string             `json:"label" minLength:"1" maxLength:"100"`
			Shared  bool               `json:"shared,omitempty" doc:"for everybody; asks for update on settings"`
			Mapping importfile.Mapping `json:"mapping"`
		}
	}
	route(s, "PUT", "/mappings/{mapping}", "save-mapping", "Save a mapping, in the place of one's own of that key", func(ctx context.Context, in *putMapping) (*none, error) {
		return &none{}, transfer.PutMapping(ctx, s.service, caller(ctx), in.Mapping, in.Body.Label, in.Body.Shared, in.Body.Mapping)
	}, status(204))
	route(s, "DELETE", "/mappings/{mapping}", "delete-mapping", "Remove a saved mapping", func(ctx context.Context, in *OneMapping) (*none, error) {
		return &none{}, transfer.DeleteMapping(ctx, s.service, caller(ctx), in.Mapping)
	}, status(204))
}
