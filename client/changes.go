package client

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"
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

// PendingChanges are those that wait for the caller, and those they passed on.
func (c *Client) PendingChanges(ctx context.Context) (wire.PendingChangeList, error) {
	return get[wire.PendingChangeList](ctx, c, "/pending-changes", nil)
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

// Refusals are what was tried and refused, the newest first.
func (c *Client) Refusals(ctx context.Context) (wire.RefusalList, error) {
	return get[wire.RefusalList](ctx, c, "/refusals", nil)
}

// Revisions is a page of the ledger.
func (c *Client) Revisions(ctx context.Context, q Query) (wire.RevisionList, error) {
	return get[wire.RevisionList](ctx, c, "/revisions", q)
}

// Undo is what would take a revision back.
func (c *Client) Undo(ctx context.Context, revision int64) (wire.Undo, error) {
	return get[wire.Undo](ctx, c, "/revisions/"+strconv.FormatInt(revision, 10)+"/undo", nil)
}

// LedgerHead is the head of the ledger as it was at a revision, 0 for the newest.
func (c *Client) LedgerHead(ctx context.Context, revision int64) (wire.LedgerHead, error) {
	q := Query{}
	if revision > 0 {
		q["revision"] = strconv.FormatInt(revision, 10)
	}
	return get[wire.LedgerHead](ctx, c, "/ledger/head", q)
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

// RoleRetirement is what hangs on a role, and what settles it.
func (c *Client) RoleRetirement(ctx context.Context, role, replacement string) (wire.Retirement, error) {
	return get[wire.Retirement](ctx, c, "/roles/"+url.PathEscape(role)+"/retirement", Query{"replacement": replacement})
}

// ApplicationRetirement is what hangs on an application, and what settles it.
func (c *Client) ApplicationRetirement(ctx context.Context, application string) (wire.Retirement, error) {
	return get[wire.Retirement](ctx, c, "/applications/"+url.PathEscape(application)+"/retirement", nil)
}

// Freezes are times in which access is changed by those alone who are let through.
func (c *Client) Freezes(ctx context.Context, q Query) (wire.FreezeList, error) {
	return get[wire.FreezeList](ctx, c, "/freezes", q)
}
