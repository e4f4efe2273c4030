package client

import (
	"context"

	"ableroster/wire"
)

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

// WhatIf asks questions under a change that is not made.
func (c *Client) WhatIf(ctx context.Context, in wire.WhatIfRequest) (out wire.WhatIfAnswer, err error) {
	return out, c.Do(ctx, "POST", "/what-if", nil, in, &out)
}
