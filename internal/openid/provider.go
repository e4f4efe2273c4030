package openid

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
)

// Errors of going to a provider and back.
var (
	// ErrAway says that the provider cannot be reached, or does not answer as it must.
	ErrAway = errors.New("the identity provider does not answer now")
	// ErrNotProven says that what came back does not prove who somebody is.
	ErrNotProven = errors.New("what came back from the identity provider does not prove who you are")
)

// discoveryLasts is how long what a provider says of itself is believed before it is asked again.
// Its keys are asked for again whenever a token comes with another.
const discoveryLasts = time.Hour

// failureLasts is how long a provider that did not answer is not asked again: those who wait for
// it would wait one after another.
const failureLasts = 5 * time.Second

// Provider is an identity provider that people sign in by. It may be used by several goroutines.
type Provider struct {
	Config
	clock  func() time.Time
	client *http.Client

	mu     sync.Mutex
	known  *oidc.Provider
	more   discovered
	asked  time.Time
	failed time.Time // when it did not answer, while nothing is known
	why    error
}

// discovered is what a provider says of itself beside what the library reads (Discovery, section
// 3; RP-Initiated Logout, section 2.1; RFC 9207, section 3).
type discovered struct {
	EndSession  string   `json:"end_session_endpoint"`
	SaysIssuer  bool     `json:"authorization_response_iss_parameter_supported"`
	AuthMethods []string `json:"token_endpoint_auth_methods_supported"`
}

// New is a provider that is asked nothing before somebody goes there.
func New(c Config, clock func() time.Time) *Provider {
	return &Provider{Config: c, clock: clock, client: fetcher(c.Private)}
}

// discover is what the provider says of itself. Where it does not answer, what it said before
// goes on to hold.
func (p *Provider) discover(ctx context.Context) (*oidc.Provider, discovered, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	now := p.clock()
	if p.known != nil && now.Sub(p.asked) < discoveryLasts {
		return p.known, p.more, nil
	}
	if p.why != nil && now.Sub(p.failed) < failureLasts {
		return nil, p.more, p.why
	}
	known, err := oidc.NewProvider(p.context(ctx), p.Issuer)
	var more discovered
	if err == nil {
		err = known.Claims(&more)
	}
	if err == nil {
		err = p.overTLS(known.Endpoint().AuthURL, known.Endpoint().TokenURL)
	}
	switch {
	case err == nil:
		p.known, p.more, p.asked, p.why = known, more, now, nil
	case p.known != nil: // asked again in a minute
		p.asked = now.Add(time.Minute - discoveryLasts)
	default:
		if ctx.Err() == nil { // else it was the caller who went away
			p.failed, p.why = p.clock(), errors.Join(ErrAway, err)
		}
		return nil, more, errors.Join(ErrAway, err)
	}
	return p.known, p.more, nil
}

// overTLS holds a provider to addresses that a browser may be sent to.
func (p *Provider) overTLS(addresses ...string) error {
	for _, a := range addresses {
		u, err := url.Parse(a)
		if err != nil || u.Host == "" || u.Scheme != "https" && (u.Scheme != "http" || !p.Private) {
			return fmt.Errorf("it names the address %q, which is no https address", a)
		}
	}
	return nil
}

// context is one by which the library fetches by our client.
func (p *Provider) context(ctx context.Context) context.Context {
	return oidc.ClientContext(ctx, p.client)
}

func (p *Provider) verifier(known *oidc.Provider) *oidc.IDTokenVerifier {
	return known.Verifier(&oidc.Config{ClientID: p.ClientID, Now: p.clock})
}

// oauth is how a code is asked for and exchanged. Without a secret the client is a public one,
// and proves itself by PKCE alone.
func (p *Provider) oauth(known *oidc.Provider, more discovered, redirect string) *oauth2.Config {
	end := known.Endpoint()
	end.AuthStyle = oauth2.AuthStyleInHeader // client_secret_basic, the default (Core, section 9)
	if p.secret == "" || only(more.AuthMethods, "client_secret_post") {
		end.AuthStyle = oauth2.AuthStyleInParams
	}
	return &oauth2.Config{ClientID: p.ClientID, ClientSecret: p.secret, Endpoint: end, RedirectURL: redirect, Scopes: append([]string{oidc.ScopeOpenID}, p.Scopes...)}
}

// only says whether one of the ways is offered and the default is not.
func only(offered []string, one string) bool {
	has := false
	for _, x := range offered {
		if x == "client_secret_basic" {
			return false
		}
		has = has || x == one
	}
	return has
}
