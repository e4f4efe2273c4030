package client

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"ableroster/wire"
)

// ImportUsers brings users in from the bytes of a CSV file. It is Import for them.
func (c *Client) ImportUsers(ctx context.Context, content []byte, q Query) (out wire.ChangeResult, err error) {
	return c.Import(ctx, "users", content, q)
}

// CancelImport cancels an import of one's own, and returns when it is cancelled. It fails
// with a wire.Problem of status 409 where it is too late: it was made, or is being published.
func (c *Client) CancelImport(ctx context.Context, name string) error {
	return c.Do(ctx, "DELETE", "/imports/"+url.PathEscape(name), nil, nil, nil)
}

// ended waits for an import that takes longer than a call may, at an address, and reads what
// it did into out. A service that cannot be reached meanwhile is asked again for a minute.
func (c *Client) ended(ctx context.Context, at string, out any) error {
	path, ok := strings.CutPrefix(at, "/api/v1")
	if !ok {
		return errors.New("the service said to ask at " + at + ", which is not its own")
	}
	heard := time.Now()
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Second):
		}
		var is struct {
			wire.Import
			Result json.RawMessage `json:"result"`
		}
		err := c.Do(ctx, "GET", path, nil, nil, &is)
		var p *wire.Problem
		switch {
		case err != nil && ctx.Err() != nil:
			return ctx.Err()
		case (errors.Is(err, ErrNotReached) || errors.As(err, &p) && p.Status == http.StatusServiceUnavailable) && time.Since(heard) < time.Minute:
			continue
		case err != nil:
			return err
		}
		heard = time.Now()
		switch {
		case is.Ended == nil:
		case is.Problem != nil:
			return is.Problem
		case is.Result == nil:
			return &wire.Problem{Type: "conflict", Title: "Cancelled", Status: http.StatusConflict, Detail: "the import was cancelled: nothing was changed"}
		default:
			return json.Unmarshal(is.Result, out)
		}
	}
}
