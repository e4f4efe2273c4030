package client

import (
	"context"
	"net/url"
	"strconv"

	"ableroster/wire"
)

// BeginSecondFactor makes a secret for an authenticator app; it counts once ConfirmSecondFactor
// has given back a code of it.
func (c *Client) BeginSecondFactor(ctx context.Context) (out wire.NewFactor, err error) {
	return out, c.Do(ctx, "POST", "/me/second-factor", nil, nil, &out)
}

// ConfirmSecondFactor gives back the first code, and is the recovery codes.
func (c *Client) ConfirmSecondFactor(ctx context.Context, code string) (out wire.RecoveryCodes, err error) {
	return out, c.Do(ctx, "PUT", "/me/second-factor", nil, wire.CodeRequest{Code: code}, &out)
}

// ConfirmIdentity proves once more who the caller is: by a code of their authenticator app where
// they have one, else by their password. For 15 minutes what is dangerous in other hands is done
// without asking.
func (c *Client) ConfirmIdentity(ctx context.Context, in wire.Confirmation) error {
	return c.Do(ctx, "POST", "/me/confirmation", nil, in, nil)
}

// NewRecoveryCodes makes new recovery codes, which replace the old ones; a code is needed.
func (c *Client) NewRecoveryCodes(ctx context.Context, code string) (out wire.RecoveryCodes, err error) {
	return out, c.Do(ctx, "POST", "/me/second-factor/recovery-codes", nil, wire.CodeRequest{Code: code}, &out)
}

// RemoveSecondFactor removes the caller's second factor; a code is needed.
func (c *Client) RemoveSecondFactor(ctx context.Context, code string) error {
	return c.Do(ctx, "POST", "/me/second-factor/removal", nil, wire.CodeRequest{Code: code}, nil)
}

// HelpSecondFactor removes the second factor of somebody who lost it; two administrators do so.
func (c *Client) HelpSecondFactor(ctx context.Context, user string) (out wire.FactorRemoval, err error) {
	return out, c.Do(ctx, "POST", "/users/"+url.PathEscape(user)+"/second-factor-removal", nil, nil, &out)
}

// EndSession ends one of the caller's own sessions.
func (c *Client) EndSession(ctx context.Context, id int64) error {
	return c.Do(ctx, "DELETE", "/me/sessions/"+strconv.FormatInt(id, 10), nil, nil, nil)
}
