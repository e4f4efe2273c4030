package openid

import (
	"context"
	"errors"
	"net/url"
)

// SignOutAt is the address at which somebody signs out of the provider too and comes back from
// (RP-Initiated Logout 1.0, section 2), or blank where it has none, or is not known now.
func (p *Provider) SignOutAt(ctx context.Context, back string) string {
	_, more, err := p.discover(ctx)
	if err != nil || more.EndSession == "" {
		return ""
	}
	u, err := url.Parse(more.EndSession)
	if err != nil || p.overTLS(more.EndSession) != nil {
		return ""
	}
	q := u.Query()
	q.Set("client_id", p.ClientID)
	q.Set("post_logout_redirect_uri", back)
	u.RawQuery = q.Encode()
	return u.String()
}

// SignedOut reads a provider's word that somebody signed out there (Back-Channel Logout 1.0,
// section 2.6): the subject, or the session, or both.
func (p *Provider) SignedOut(ctx context.Context, token string) (subject, session string, err error) {
	known, _, err := p.discover(ctx)
	if err != nil {
		return "", "", err
	}
	t, err := p.verifier(known).VerifyLogout(p.context(ctx), token)
	if err != nil {
		return "", "", errors.Join(ErrNotProven, err)
	}
	return t.Subject, t.SessionID, nil
}
