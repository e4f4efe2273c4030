package client

import (
	"context"
	"net/url"

	"ableroster/wire"
)

// ResetPassword has a link mailed to a user's own address, by which they set a new password.
// That there is such a user is not told.
func (c *Client) ResetPassword(ctx context.Context, userName string) error {
	return c.Do(ctx, "POST", "/password-reset", nil, wire.ResetRequest{UserName: userName}, nil)
}

// ResendInvitation mails an invitation again; the link in the one before ends.
func (c *Client) ResendInvitation(ctx context.Context, user string) error {
	return c.Do(ctx, "POST", "/users/"+url.PathEscape(user)+"/invitation", nil, nil, nil)
}
