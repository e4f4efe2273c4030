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

// Invitations are the users who were invited and have not taken it up.
func (c *Client) Invitations(ctx context.Context, q Query) (wire.InvitationList, error) {
	return get[wire.InvitationList](ctx, c, "/invitations", q)
}

// ResendInvitation mails an invitation again; the link in the one before ends.
func (c *Client) ResendInvitation(ctx context.Context, user string) error {
	return c.Do(ctx, "POST", "/users/"+url.PathEscape(user)+"/invitation", nil, nil, nil)
}

// Mails are the last mails, and what became of each.
func (c *Client) Mails(ctx context.Context) (wire.MailList, error) {
	return get[wire.MailList](ctx, c, "/mails", nil)
}
