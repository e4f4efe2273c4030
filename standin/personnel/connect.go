package main

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"os"

	"ableroster/client"
	"ableroster/wire"
)

// account is the machine account of the personnel system.
const account = "personnel.system"

// readToken reads the token of the account. For the demo, where there is none, an administrator
// has the account made, with the right to look after people, and its token kept in the file.
func readToken(ctx context.Context, service, file, administrator, password string) (string, error) {
	if token, err := trimmed(file); err == nil || administrator == "" {
		return token, err
	}
	c := &client.Client{Base: service, Agent: "personnel/1"}
	signedIn, err := c.SignIn(ctx, administrator, password, "personnel system of the demo")
	if err != nil {
		return "", err
	}
	c.Token = signedIn.Secret
	var ops []json.RawMessage
	for _, op := range []string{`{"op":"add_user","user_name":"` + account + `","display_name":"Personnel system","kind":"service"}`, `{"op":"grant","user":"` + account + `","role":"access-administrator"}`} {
		ops = append(ops, json.RawMessage(op))
	}
	_, err = c.Change(ctx, wire.ChangeRequest{Reason: "The personnel system keeps our people", Operations: ops, Acknowledge: []string{"administering_gain", "wide_gain", "direct_assignment"}}, false)
	var p *wire.Problem
	if err != nil && !(errors.As(err, &p) && p.Status == http.StatusUnprocessableEntity) { // it is there already
		return "", err
	}
	var token wire.Token
	if err := c.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "SCIM", User: account, Only: "people"}, &token); err != nil {
		return "", err
	}
	return token.Secret, os.WriteFile(file, []byte(token.Secret+"\n"), 0o600)
}
