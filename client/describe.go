package client

import (
	"context"
	"net/url"

	"ableroster/wire"
)

// Import brings users, memberships or assignments in from the bytes of a CSV
// file.
func (c *Client) Import(ctx context.Context, what string, content []byte, q Query) (out wire.ChangeResult, err error) {
	return c.ImportOnce(ctx, "", what, content, q)
}

// ImportOnce is Import under an idempotency key: sent again with the same, it is brought in once.
func (c *Client) ImportOnce(ctx context.Context, key, what string, content []byte, q Query) (out wire.ChangeResult, err error) {
	return out, c.DoKeyed(ctx, key, "POST", "/imports/"+what, q, content, &out)
}

// Table is users, memberships or assignments as a CSV file.
func (c *Client) Table(ctx context.Context, what string, q Query) (out []byte, err error) {
	return out, c.Do(ctx, "GET", "/"+what+".csv", q, nil, &out)
}

// Report is a report of access as an HTML file: of "users", "roles" or "revisions".
func (c *Client) Report(ctx context.Context, of, key string, q Query) (out []byte, err error) {
	return out, c.Do(ctx, "GET", "/reports/"+of+"/"+url.PathEscape(key), q, nil, &out)
}

// RosterFile is the organisation as a roster file.
func (c *Client) RosterFile(ctx context.Context, q Query) (out []byte, err error) {
	return out, c.Do(ctx, "GET", "/roster-file", q, nil, &out)
}

// RosterFileSchema is the JSON Schema of a roster file.
func (c *Client) RosterFileSchema(ctx context.Context) (out []byte, err error) {
	return out, c.Do(ctx, "GET", "/roster-file/schema", nil, nil, &out)
}

// LoadRosterFile makes the organisation as a roster file says.
func (c *Client) LoadRosterFile(ctx context.Context, content []byte, q Query) (out wire.ChangeResult, err error) {
	return out, c.Do(ctx, "POST", "/roster-file", q, YAML(content), &out)
}

func ofApplication(application, what string) string {
	return "/applications/" + url.PathEscape(application) + "/" + what
}

// Compare tells how an application's own list differs from what is registered.
func (c *Client) Compare(ctx context.Context, application string, in wire.ComparisonRequest) (out wire.Comparison, err error) {
	return out, c.Do(ctx, "POST", ofApplication(application, "comparison"), nil, in, &out)
}
