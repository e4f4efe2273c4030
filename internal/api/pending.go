package api

import (
	"context"

	"ableroster/internal/changing"
	"ableroster/wire"
)

// pendingRoutes pass parts of changes on to who may make them.
func (s *Server) pendingRoutes() {
	route(s, "GET", "/pending-changes", "list-pending-changes", "Pending changes the caller may make, and those they prepared", func(ctx context.Context, _ *struct{}) (*body[wire.PendingChangeList], error) {
		out, err := changing.PendingChanges(ctx, s.service, caller(ctx))
		return &body[wire.PendingChangeList]{out}, err
	})
	type passing struct{ Body wire.PendingChangeRequest }
	route(s, "POST", "/pending-changes", "add-pending-change", "Prepare a change: for a date, under a name, or for somebody else to make", func(ctx context.Context, in *passing) (*body[wire.PendingChange], error) {
		out, err := changing.AddPendingChange(ctx, s.service, caller(ctx), in.Body)
		return &body[wire.PendingChange]{out}, err
	}, status(201), heavy)
	type OnePending struct {
		ID string `path:"change" doc:"id: pending-change-1 …"`
	}
	type refusing struct {
		OnePending
		Body struct {
			Why string `json:"why" maxLength:"2000" doc:"for whoever passed it on"`
		}
	}
	route(s, "POST", "/pending-changes/{change}/refusal", "refuse-pending-change", "Refuse a pending change; its author is told why", func(ctx context.Context, in *refusing) (*none, error) {
		return &none{}, changing.RefusePendingChange(ctx, s.service, caller(ctx), in.ID, in.Body.Why)
	}, status(204))
	route(s, "DELETE", "/pending-changes/{change}", "withdraw-pending-change", "Withdraw a pending change of one's own", func(ctx context.Context, in *OnePending) (*none, error) {
		return &none{}, changing.WithdrawPendingChange(ctx, s.service, caller(ctx), in.ID)
	}, status(204))
}
