// Package client is the Go client of the Able Roster API.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"ableroster/internal/patterns"
	"ableroster/wire"
)

// Client speaks to one service. The zero HTTP client has a time-out of a
// minute.
type Client struct {
	Base  string // https://roster.example
	Token string // an API token, or nothing
	Agent string // what the log says called
	HTTP  *http.Client

	// AtLeast is a revision that answers must know of, 0 for any: what one of
	// several services has answered, another may still be about to hear.
	AtLeast int64

	// Mark is, instead, what Roster-Head said of one: its number and the beginning of its
	// hash. An answer is refused (412) where that revision is another one, since it was
	// lost.
	Mark string

	// ActingFor is whom the caller, a machine account that may, acts for: user name or id.
	// Change and Shares are called so; other calls are refused.
	ActingFor string

	// Heard is told the Roster-Head of each answer; nil hears nothing.
	Heard func(mark string)

	// Confirm is called where a call is refused until the caller has confirmed who they are
	// (confirmation-needed). Where it did so, by ConfirmIdentity, and is true, the call is
	// made once more. Nil confirms nothing.
	Confirm func(ctx context.Context) bool
}

// YAML is a body that is sent as it is.
type YAML []byte

// ErrNotReached wraps what went wrong when the service could not be reached.
var ErrNotReached = errors.New("the service was not reached")

var defaultHTTP = &http.Client{Timeout: time.Minute}

// Query are the parameters of a call; blank ones are left out.
type Query map[string]string

// AsOf adds a past instant to a query; the zero time is now.
func (q Query) AsOf(t time.Time) Query {
	if !t.IsZero() {
		q["as_of"] = t.UTC().Format(time.RFC3339Nano)
	}
	return q
}

// Do makes one call. in is sent as JSON, or as it is when it is bytes; out is
// read from the answer unless nil. An answer that is a problem comes back as a
// *wire.Problem.
func (c *Client) Do(ctx context.Context, method, path string, q Query, in, out any) error {
	return c.DoKeyed(ctx, "", method, path, q, in, out)
}

// DoKeyed is Do under an idempotency key: asked again with the same, it is done
// once.
func (c *Client) DoKeyed(ctx context.Context, key, method, path string, q Query, in, out any) error {
	var body io.Reader
	contentType := "application/json"
	switch in := in.(type) {
	case nil:
	case []byte:
		body, contentType = bytes.NewReader(in), "text/csv"
	case YAML:
		body, contentType = bytes.NewReader(in), "application/yaml"
	default:
		raw, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(raw)
	}
	values := url.Values{}
	for k, v := range q {
		if v != "" {
			values.Set(k, v)
		}
	}
	address := c.Base + "/api/v1" + path
	if len(values) > 0 {
		address += "?" + values.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, method, address, body)
	if err != nil {
		return err
	}
	if body != nil {
		req.Header.Set("Content-Type", contentType)
	}
	if key != "" {
		req.Header.Set("Idempotency-Key", key)
	}
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	switch {
	case c.Mark != "":
		req.Header.Set("Roster-At-Least", c.Mark)
	case c.AtLeast > 0:
		req.Header.Set("Roster-At-Least", strconv.FormatInt(c.AtLeast, 10))
	}
	if c.ActingFor != "" {
		req.Header.Set("Roster-Acting-For", c.ActingFor)
	}
	if c.Agent != "" {
		req.Header.Set("User-Agent", c.Agent)
	}
	hc := c.HTTP
	if hc == nil {
		hc = defaultHTTP
	}
	resp, err := hc.Do(req)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNotReached, err)
	}
	defer resp.Body.Close()
	if mark := resp.Header.Get("Roster-Head"); mark != "" && c.Heard != nil {
		c.Heard(mark)
	}
	raw, err := io.ReadAll(io.LimitReader(resp.Body, 256<<20))
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNotReached, err)
	}
	if resp.StatusCode >= 300 {
		p := &wire.Problem{}
		if json.Unmarshal(raw, p) != nil || p.Status == 0 {
			p = &wire.Problem{Status: resp.StatusCode, Title: resp.Status, Detail: "the service answered " + resp.Status}
		}
		if p.Type == "confirmation-needed" && c.Confirm != nil && c.Confirm(ctx) {
			again := *c
			again.Confirm = nil
			return again.DoKeyed(ctx, key, method, path, q, in, out)
		}
		return p
	}
	if at := resp.Header.Get("Location"); resp.StatusCode == http.StatusAccepted && at != "" {
		return c.ended(ctx, at, out)
	}
	if file, ok := out.(*[]byte); ok {
		*file = raw
		return nil
	}
	if out == nil || len(raw) == 0 {
		return nil
	}
	return json.Unmarshal(raw, out)
}

func get[T any](ctx context.Context, c *Client, path string, q Query) (out T, err error) {
	return out, c.Do(ctx, "GET", path, q, nil, &out)
}

// SignIn proves a user name and password for an API token.
func (c *Client) SignIn(ctx context.Context, userName, password, label string) (out wire.Token, err error) {
	return c.SignInByCode(ctx, userName, password, "", label)
}

// SignInByCode is SignIn for who has a second factor: without a code it fails with a problem of
// the type second-factor.
func (c *Client) SignInByCode(ctx context.Context, userName, password, code, label string) (out wire.Token, err error) {
	in := struct {
		wire.SignInRequest
		Label string `json:"label"`
	}{wire.SignInRequest{UserName: userName, Password: password, Code: code}, label}
	return out, c.Do(ctx, "POST", "/session/token", nil, in, &out)
}

// EndToken ends one of the caller's tokens.
func (c *Client) EndToken(ctx context.Context, id int64) error {
	return c.Do(ctx, "DELETE", "/tokens/"+strconv.FormatInt(id, 10), nil, nil, nil)
}

// RotateTokens makes a token of a machine account in the place of those it has, which end after an
// overlap. Its secret is told now and never again. Sent twice it makes two.
func (c *Client) RotateTokens(ctx context.Context, account string, in wire.RotationRequest) (out wire.Rotation, err error) {
	return out, c.Do(ctx, "POST", "/users/"+url.PathEscape(account)+"/token-rotation", nil, in, &out)
}

// ListFile is any list as a file: q asks it as the list itself would be, with
// format csv or xlsx.
func (c *Client) ListFile(ctx context.Context, list string, q Query) (out []byte, err error) {
	return out, c.Do(ctx, "GET", "/files/"+url.PathEscape(list), q, nil, &out)
}

// PutMapping saves a mapping, as JSON, under a key.
func (c *Client) PutMapping(ctx context.Context, key, label string, shared bool, mapping []byte) error {
	in := map[string]any{"label": label, "shared": shared, "mapping": json.RawMessage(mapping)}
	return c.Do(ctx, "PUT", "/mappings/"+url.PathEscape(key), nil, in, nil)
}

// DeleteMapping takes a saved mapping away.
func (c *Client) DeleteMapping(ctx context.Context, key string) error {
	return c.Do(ctx, "DELETE", "/mappings/"+url.PathEscape(key), nil, nil, nil)
}

// PutView saves a view under a key.
func (c *Client) PutView(ctx context.Context, key string, in wire.ViewRequest) error {
	return c.Do(ctx, "PUT", "/views/"+url.PathEscape(key), nil, in, nil)
}

// DeleteView takes a saved view away.
func (c *Client) DeleteView(ctx context.Context, key string) error {
	return c.Do(ctx, "DELETE", "/views/"+url.PathEscape(key), nil, nil, nil)
}

// May says whether a menu lets its user do an action on a path: for drawing
// buttons. Whatever a button does asks again with Check.
func May(m wire.Menu, action, path string) bool {
	for _, p := range m.Actions[action] {
		part := patterns.Area{Pattern: p.Pattern, Except: p.Except}
		if !p.Own && patterns.Reaches([]patterns.Area{part}, path) {
			return true
		}
	}
	return false
}

// MakeSignInLink makes a one-time link by which a user sets their own password.
func (c *Client) MakeSignInLink(ctx context.Context, user string) (out wire.SignInLink, err error) {
	return out, c.Do(ctx, "POST", "/users/"+url.PathEscape(user)+"/sign-in-link", nil, nil, &out)
}

// SignUp signs up by a link that was mailed: the part of its path after the #.
func (c *Client) SignUp(ctx context.Context, link, name, password string) error {
	return c.Do(ctx, "POST", "/sign-up/account", nil, wire.SignUpAccount{Link: link, DisplayName: name, Password: password}, nil)
}

// UseSignInLink sets one's own password by a one-time link: the part of its path after
// the #.
func (c *Client) UseSignInLink(ctx context.Context, link, password string) error {
	return c.Do(ctx, "POST", "/sign-in-link", nil, wire.UseLinkRequest{Link: link, Password: password}, nil)
}
