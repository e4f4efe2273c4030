package openid

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"net/url"
	"slices"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
)

// Flow is one way to a provider and back, kept here until somebody comes back.
type Flow struct {
	State    string // comes back with them (RFC 6749, section 10.12)
	Nonce    string // comes back in the ID token (Core, section 15.5.2)
	Verifier string // proves to the provider that the same asks (RFC 7636)
}

// Begin is the address to send somebody to, and what has to be kept until they come back to
// redirect. The error is ErrAway where the provider does not answer.
func (p *Provider) Begin(ctx context.Context, redirect string) (address string, f Flow, err error) {
	known, more, err := p.discover(ctx)
	if err != nil {
		return "", f, err
	}
	f = Flow{State: text(), Nonce: text(), Verifier: oauth2.GenerateVerifier()}
	return p.oauth(known, more, redirect).AuthCodeURL(f.State, oidc.Nonce(f.Nonce), oauth2.S256ChallengeOption(f.Verifier)), f, nil
}

func text() string {
	raw := make([]byte, 32)
	rand.Read(raw)
	return base64.RawURLEncoding.EncodeToString(raw)
}

// Identity is who somebody is at a provider.
type Identity struct {
	Issuer, Subject string
	Session         string // the provider's own (sid), or blank
	Matches         string // what Config.Match compares; blank where the claim is missing, or no verified address
	Factor          bool   // the provider proved a second factor

	Claimed map[string]string // what Config.Claims has attributes say, by key
}

// Finish takes the code that somebody came back with, and the issuer it came with (blank for
// none; RFC 9207). The error is ErrAway or ErrNotProven, with what it was.
func (p *Provider) Finish(ctx context.Context, f Flow, redirect, code, issuer string) (Identity, error) {
	known, more, err := p.discover(ctx)
	if err != nil {
		return Identity{}, err
	}
	if issuer != p.Issuer && (issuer != "" || more.SaysIssuer) {
		return Identity{}, fmt.Errorf("%w: it comes from the issuer %q", ErrNotProven, issuer)
	}
	got, err := p.oauth(known, more, redirect).Exchange(p.context(ctx), code, oauth2.VerifierOption(f.Verifier))
	if err != nil {
		return Identity{}, errors.Join(failure(err), err)
	}
	raw, _ := got.Extra("id_token").(string)
	if raw == "" {
		return Identity{}, fmt.Errorf("%w: there is no ID token", ErrNotProven)
	}
	token, err := p.verifier(known).Verify(p.context(ctx), raw)
	if err != nil {
		return Identity{}, errors.Join(ErrNotProven, err)
	}
	if subtle.ConstantTimeCompare([]byte(token.Nonce), []byte(f.Nonce)) != 1 {
		return Identity{}, fmt.Errorf("%w: its nonce is another", ErrNotProven)
	}
	if token.AccessTokenHash != "" {
		if err := token.VerifyAccessToken(got.AccessToken); err != nil {
			return Identity{}, errors.Join(ErrNotProven, err)
		}
	}
	return p.identity(token)
}

// identity reads the claims of a token that is verified.
func (p *Provider) identity(token *oidc.IDToken) (Identity, error) {
	var standard struct {
		Session  string   `json:"sid"`
		Party    string   `json:"azp"`
		Methods  []string `json:"amr"`
		Class    string   `json:"acr"`
		Verified bool     `json:"email_verified"`
	}
	var all map[string]any
	err := errors.Join(token.Claims(&standard), token.Claims(&all))
	if err != nil {
		return Identity{}, errors.Join(ErrNotProven, err)
	}
	// Core, section 3.1.3.7: of several audiences we are the party it was made for.
	if len(token.Audience) > 1 && standard.Party == "" || standard.Party != "" && standard.Party != p.ClientID {
		return Identity{}, fmt.Errorf("%w: it was made for another", ErrNotProven)
	}
	if token.Subject == "" || len(token.Subject) > 255 {
		return Identity{}, fmt.Errorf("%w: its subject is missing or too long", ErrNotProven)
	}
	out := Identity{Issuer: token.Issuer, Subject: token.Subject, Session: standard.Session}
	out.Factor = slices.ContainsFunc(standard.Methods, func(m string) bool { return slices.Contains(p.Factors, m) }) || standard.Class != "" && slices.Contains(p.Classes, standard.Class)
	if p.Match.To != ToEmail || standard.Verified {
		out.Matches, _ = all[p.Match.Claim].(string)
	}
	if out.Claimed, err = claimed(p.Claims, all); err != nil {
		return Identity{}, fmt.Errorf("%w: %w", ErrNotProven, err)
	}
	return out, nil
}

// failure says whether a code was refused, or the provider does not answer.
func failure(err error) error {
	var refused *oauth2.RetrieveError
	if errors.As(err, &refused) && refused.Response != nil && refused.Response.StatusCode < 500 {
		return ErrNotProven
	}
	var away *url.Error
	if errors.As(err, &away) || errors.As(err, &refused) || errors.Is(err, context.DeadlineExceeded) {
		return ErrAway
	}
	return ErrNotProven
}
