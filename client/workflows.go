package client

import (
	"context"
	"net/url"

	"ableroster/wire"
)

// Catalogue are the requestable roles.
func (c *Client) Catalogue(ctx context.Context, q Query) (wire.Catalogue, error) {
	return get[wire.Catalogue](ctx, c, "/catalogue", q)
}

// CatalogueRole is one of them, with what it would add.
func (c *Client) CatalogueRole(ctx context.Context, role string, q Query) (wire.OneCatalogueRole, error) {
	return get[wire.OneCatalogueRole](ctx, c, "/catalogue/"+url.PathEscape(role), q)
}

// Requests is a page of requests.
func (c *Client) Requests(ctx context.Context, q Query) (wire.RequestList, error) {
	return get[wire.RequestList](ctx, c, "/requests", q)
}

// Request is one request.
func (c *Client) Request(ctx context.Context, id string, q Query) (wire.OneRequest, error) {
	return get[wire.OneRequest](ctx, c, "/requests/"+url.PathEscape(id), q)
}

// Routes are the routes of approval.
func (c *Client) Routes(ctx context.Context, q Query) (wire.RouteList, error) {
	return get[wire.RouteList](ctx, c, "/routes", q)
}

// Today is what waits for the caller.
func (c *Client) Today(ctx context.Context) (wire.Today, error) {
	return get[wire.Today](ctx, c, "/today", nil)
}

// Reviews are the rounds of review.
func (c *Client) Reviews(ctx context.Context, q Query) (wire.RoundList, error) {
	return get[wire.RoundList](ctx, c, "/reviews", q)
}

// Review is one round.
func (c *Client) Review(ctx context.Context, round string, q Query) (wire.OneRound, error) {
	return get[wire.OneRound](ctx, c, "/reviews/"+url.PathEscape(round), q)
}

// DecideItems is a page of the items of a round.
func (c *Client) ReviewItems(ctx context.Context, round string, q Query) (wire.ReviewItemList, error) {
	return get[wire.ReviewItemList](ctx, c, "/reviews/"+url.PathEscape(round)+"/items", q)
}
