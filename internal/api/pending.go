package api

import (
	"context"
	"encoding/json"

	"ableroster/internal/api/serve"
	"ableroster/internal/changing"
	"ableroster/wire"
)

// pendingRoutes pass parts of changes on to who may make them.
func pendingRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/pending-changes", "list-pending-changes", "Pending changes the caller may make, and those they prepared", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.PendingChangeList], error) {
		out, err := changing.PendingChanges(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	})
	type passing struct{ Body wire.PendingChangeRequest }
	serve.Route(s, "POST", "/pending-changes", "add-pending-change", "Prepare a change: for a date, under a name, or for somebody else to make", func(ctx context.Context, in *passing) (*serve.Body[wire.PendingChange], error) {
		var operations []json.RawMessage
		if in.Body.At != nil { // else whoever makes it is asked
			for _, l := range in.Body.Lines {
				operations = append(operations, l.Operations...)
			}
		}
		if err := confirmedChange(ctx, s, in.Body.Acknowledge, operations...); err != nil {
			return nil, err
		}
		out, err := changing.AddPendingChange(ctx, s.Service, serve.Caller(ctx), in.Body)
		return serve.Answer(out), err
	}, serve.Status(201), serve.Heavy)
	type OnePending struct {
		ID string `path:"change" doc:"id: pending-change-1 …"`
	}
	type refusing struct {
		OnePending
		Body struct {
			Why string `json:"why" maxLength:"2000" doc:"for whoever passed it on"`
		}
	}
	serve.Route(s, "POST", "/pending-changes/{change}/refusal", "refuse-pending-change", "Refuse a pending change; its author is told why", func(ctx context.Context, in *refusing) (*serve.None, error) {
		return &serve.None{}, changing.RefusePendingChange(ctx, s.Service, serve.Caller(ctx), in.ID, in.Body.Why)
	}, serve.Status(204))
	serve.Route(s, "DELETE", "/pending-changes/{change}", "withdraw-pending-change", "Withdraw a pending change of one's own", func(ctx context.Context, in *OnePending) (*serve.None, error) {
		return &serve.None{}, changing.WithdrawPendingChange(ctx, s.Service, serve.Caller(ctx), in.ID)
	}, serve.Status(204))
}
