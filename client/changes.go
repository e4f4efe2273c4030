package client

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"time"

	"ableroster/wire"
)

// Change makes a change, or says what it would do.
func (c *Client) Change(ctx context.Context, in wire.ChangeRequest, dryRun bool) (out wire.ChangeResult, err error) {
	q := Query{}
	if dryRun {
		q["dry_run"] = "true"
	}
	return out, c.Do(ctx, "POST", "/changes", q, in, &out)
}

// Preview is a page of what a change would do.
func (c *Client) Preview(ctx context.Context, in wire.ChangeRequest, q Query) (out wire.ChangeResult, err error) {
	q["dry_run"] = "true"
	return out, c.Do(ctx, "POST", "/changes", q, in, &out)
}

// AddPendingChange passes a part of a change on to who may make it.
func (c *Client) AddPendingChange(ctx context.Context, in wire.PendingChangeRequest) (out wire.PendingChange, err error) {
	return out, c.Do(ctx, "POST", "/pending-changes", nil, in, &out)
}

// RefusePendingChange sends one back to who passed it on.
func (c *Client) RefusePendingChange(ctx context.Context, id, why string) error {
	return c.Do(ctx, "POST", "/pending-changes/"+url.PathEscape(id)+"/refusal", nil, map[string]string{"why": why}, nil)
}

// WithdrawPendingChange withdraws one that one passed on.
func (c *Client) WithdrawPendingChange(ctx context.Context, id string) error {
	return c.Do(ctx, "DELETE", "/pending-changes/"+url.PathEscape(id), nil, nil, nil)
}

// Verify verifies the ledger, which takes as long as that is long. told hears how far it
// is; nil hears nothing.
func (c *Client) Verify(ctx context.Context, told func(wire.VerificationRun)) (wire.Verification, error) {
	var run wire.VerificationRun
	if err := c.Do(ctx, "POST", "/ledger/verification", nil, nil, &run); err != nil {
		return wire.Verification{}, err
	}
	for pause := 20 * time.Millisecond; run.State == "running"; pause = min(2*pause, time.Second) {
		if told != nil {
			told(run)
		}
		select {
		case <-ctx.Done():
			return wire.Verification{}, ctx.Err()
		case <-time.After(pause):
		}
		var err error
		run, err = get[wire.VerificationRun](ctx, c, "/ledger/verification", nil)
		if p := new(wire.Problem); errors.As(err, &p) && p.Status == http.StatusNotFound { // it was started anew meanwhile
			err = c.Do(ctx, "POST", "/ledger/verification", nil, nil, &run)
		}
		if err != nil {
			return wire.Verification{}, err
		}
	}
	return *run.Result, nil
}
