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

// AskToSignUp has a link mailed to an address, by which whoever reads it signs up. Whether they may,
// or have an account already, is not told.
func (c *Client) AskToSignUp(ctx context.Context, email string) error {
	return c.Do(ctx, "POST", "/sign-up", nil, wire.SignUpRequest{Email: email}, nil)
}
