package client

import (
	"context"
	"net/url"

	"ableroster/wire"
)

// NewUserPreview is what a new user of some attributes would have.
func (c *Client) NewUserPreview(ctx context.Context, q Query) (wire.NewUserPreview, error) {
	return get[wire.NewUserPreview](ctx, c, "/new-user-preview", q)
}

// Grid is users × permissions of one application.
func (c *Client) Grid(ctx context.Context, q Query) (wire.Grid, error) {
	return get[wire.Grid](ctx, c, "/grid", q)
}

// Menu is what a user may do in an application.
func (c *Client) Menu(ctx context.Context, user, application string) (wire.Menu, error) {
	return get[wire.Menu](ctx, c, "/menu", Query{"user": user, "application": application})
}

// MenuOfNobody is what may be done in an application without signing in.
func (c *Client) MenuOfNobody(ctx context.Context, application string) (wire.Menu, error) {
	return get[wire.Menu](ctx, c, "/menu", Query{"nobody": "true", "application": application})
}

// Check asks for a decision.
func (c *Client) Check(ctx context.Context, in wire.CheckRequest) (out wire.CheckAnswer, err error) {
	return out, c.Do(ctx, "POST", "/check", nil, in, &out)
}

// CheckAsOf asks for a decision by the facts of a past instant, which the query names.
func (c *Client) CheckAsOf(ctx context.Context, in wire.CheckRequest, q Query) (out wire.CheckAnswer, err error) {
	return out, c.Do(ctx, "POST", "/check", q, in, &out)
}

// Checks asks up to 1,000 questions at once.
func (c *Client) Checks(ctx context.Context, in []wire.CheckRequest) (out wire.ChecksAnswer, err error) {
	return out, c.Do(ctx, "POST", "/checks", nil, wire.ChecksRequest{Checks: in}, &out)
}

// Holders is a page of who can do something.
func (c *Client) Holders(ctx context.Context, q Query) (wire.HolderList, error) {
	return get[wire.HolderList](ctx, c, "/holders", q)
}

// RoleHolders is a page of the users who hold a role.
func (c *Client) RoleHolders(ctx context.Context, role string, q Query) (wire.HolderList, error) {
	return get[wire.HolderList](ctx, c, "/roles/"+url.PathEscape(role)+"/holders", q)
}

// GainedAndLost is a page of who gained and lost what.
func (c *Client) GainedAndLost(ctx context.Context, q Query) (wire.GainedAndLost, error) {
	return get[wire.GainedAndLost](ctx, c, "/gained-and-lost", q)
}

// Timeline is from when to when a user held something.
func (c *Client) PermissionTimeline(ctx context.Context, user string, q Query) (wire.PermissionTimeline, error) {
	return get[wire.PermissionTimeline](ctx, c, "/users/"+url.PathEscape(user)+"/timeline/permission", q)
}

// RoleTimeline is which roles a user held when.
func (c *Client) RoleTimeline(ctx context.Context, user string) (wire.RoleTimeline, error) {
	return get[wire.RoleTimeline](ctx, c, "/users/"+url.PathEscape(user)+"/timeline", nil)
}

// OverTime is how many people had anything in an application.
func (c *Client) OverTime(ctx context.Context, application string, q Query) (wire.OverTime, error) {
	return get[wire.OverTime](ctx, c, "/applications/"+url.PathEscape(application)+"/over-time", q)
}

// Rehearsal is what an application in rehearsal let through.
func (c *Client) Rehearsal(ctx context.Context, application string) (wire.Rehearsal, error) {
	return get[wire.Rehearsal](ctx, c, "/applications/"+url.PathEscape(application)+"/rehearsal", nil)
}

// WhatIf asks questions under a change that is not made.
func (c *Client) WhatIf(ctx context.Context, in wire.WhatIfRequest) (out wire.WhatIfAnswer, err error) {
	return out, c.Do(ctx, "POST", "/what-if", nil, in, &out)
}
