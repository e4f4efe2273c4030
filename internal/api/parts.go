package api

import (
	"context"

	"ableroster/wire"
)

// partRoutes pass parts of changes on to who may make them.
func (s *Server) partRoutes() {
	route(s, "GET", "/parts", "list-parts", "Parts of changes that wait for the caller, and those they passed on", func(ctx context.Context, _ *struct{}) (*body[wire.PartList], error) {
		out, err := s.desk.Parts(ctx, caller(ctx))
		return &body[wire.PartList]{out}, err
	})
	type passing struct{ Body wire.PartRequest }
	route(s, "POST", "/parts", "pass-on-part", "Pass a part of a change, which one may not make, on to who may", func(ctx context.Context, in *passing) (*body[wire.Part], error) {
		out, err := s.desk.PassOn(ctx, caller(ctx), in.Body)
		return &body[wire.Part]{out}, err
	}, status(201))
	type OnePart struct {
		Part string `path:"part" doc:"id: part-1 …"`
	}
	type refusing struct {
		OnePart
		Body struct {
			Why string `json:"why" maxLength:"2000" doc:"for whoever passed it on"`
		}
	}
	route(s, "POST", "/parts/{part}/refusal", "refuse-part", "Send a part back to who passed it on", func(ctx context.Context, in *refusing) (*none, error) {
		return &none{}, s.desk.RefusePart(ctx, caller(ctx), in.Part, in.Body.Why)
	}, status(204))
	route(s, "DELETE", "/parts/{part}", "withdraw-part", "Take back a part that one passed on", func(ctx context.Context, in *OnePart) (*none, error) {
		return &none{}, s.desk.WithdrawPart(ctx, caller(ctx), in.Part)
	}, status(204))
}
