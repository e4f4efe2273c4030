package account

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/openid"
	"ableroster/internal/query"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

const (
	backPath    = "/sign-in-by"        // where a browser comes back to
	signOutPath = "/openid/:provider/" // below it providers say that somebody signed out
)

// SetProviders takes up identity providers in the place of those there are. It may be called while
// calls are answered.
func SetProviders(s *serve.Server, all []openid.Config) {
	var out []*openid.Provider
	for _, c := range all {
		out = append(out, openid.New(c, s.Service.Clock))
	}
	s.Providers.Store(&out)
}

func allProviders(s *serve.Server) []*openid.Provider {
	if all := s.Providers.Load(); all != nil {
		return *all
	}
	return nil
}

func provider(s *serve.Server, fits func(*openid.Provider) bool) *openid.Provider {
	all := allProviders(s)
	if i := slices.IndexFunc(all, fits); i >= 0 {
		return all[i]
	}
	return nil
}

func byKey(key string) func(*openid.Provider) bool {
	return func(p *openid.Provider) bool { return p.Key == key }
}

func asProvider(p *openid.Provider) wire.Provider { return wire.Provider{Key: p.Key, Label: p.Label} }

// isFor says whether a provider is for a user: by their unit, or by their e-mail address.
func isFor(p *openid.Provider, u *fact.User) bool {
	if u.UserKind != fact.Person {
		return false
	}
	if len(p.Domains)+len(p.Units) == 0 {
		return true
	}
	_, domain, _ := strings.Cut(u.Email, "@")
	return domain != "" && slices.ContainsFunc(p.Domains, func(d string) bool { return strings.EqualFold(d, domain) }) ||
		slices.ContainsFunc(p.Units, func(unit string) bool { return u.Unit == unit || strings.HasPrefix(u.Unit, unit+"/") })
}

// mayLocally says whether somebody may sign in now without an identity provider.
func mayLocally(s *serve.Server, id fact.UserID) bool {
	return s.Ledger.Head().MaySignIn(id, calendar.At(s.Service.Clock())) && !alone(s, id)
}

// alone says whether somebody signs in by an identity provider alone: those for whom it is do, unless
// they are named for emergencies.
func alone(s *serve.Server, id fact.UserID) bool {
	u := s.Ledger.Head().User(id)
	return u != nil && slices.ContainsFunc(allProviders(s), func(p *openid.Provider) bool {
		return p.Alone && isFor(p, u) && !slices.ContainsFunc(p.Emergency, func(name string) bool { return fact.Fold(name) == fact.Fold(u.UserName) })
	})
}

func providerRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/session/providers", "list-providers", "The identity providers by which people sign in (OpenID Connect)", func(context.Context, *struct{}) (*serve.Body[wire.ProviderList], error) {
		out := wire.ProviderList{Providers: []wire.Provider{}}
		for _, p := range allProviders(s) {
			out.Providers = append(out.Providers, asProvider(p))
		}
		return serve.Answer(out), nil
	}, serve.Anybody)
	type begin struct {
		FromPage
		Body wire.ProviderBegin
	}
	serve.Route(s, "POST", "/session/provider-flow", "begin-provider-sign-in", "Begin to sign in by an identity provider: where the browser goes", func(ctx context.Context, in *begin) (*withCookie[wire.ProviderBegun], error) {
		p := provider(s, byKey(in.Body.Provider))
		if p == nil {
			return nil, seeing.NotFound("there is no such identity provider")
		}
		return beginFlow(ctx, s, p, 0, in.Origin)
	}, serve.Anybody, serve.Small, serve.Status(201))
	type answer struct{ Body wire.ProviderAnswer }
	serve.Route(s, "POST", "/session/provider", "sign-in-by-provider", "Sign in by what the browser came back from an identity provider with", func(ctx context.Context, in *answer) (*withCookie[wire.Me], error) {
		if p := s.TooOld(); p != nil {
			return nil, p
		}
		return cameBack(ctx, s, in.Body)
	}, serve.Anybody, serve.Small, serve.Status(200))
	serve.Route(s, "GET", "/me/providers", "list-own-providers", "The identity providers one signs in by, and those one could link", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.ProviderLinkList], error) {
		out, err := ownProviders(ctx, s)
		return serve.Answer(out), err
	})
	type link struct {
		FromPage
		Body wire.ProviderLinkBegin
	}
	serve.Route(s, "POST", "/me/providers", "begin-provider-link", "Begin to link one's account at an identity provider to oneself; the current password is asked for again", func(ctx context.Context, in *link) (*withCookie[wire.ProviderBegun], error) {
		id := serve.Caller(ctx).User
		p := provider(s, byKey(in.Body.Provider))
		if p == nil || !isFor(p, s.Ledger.Head().User(id)) {
			return nil, seeing.NotFound("there is no such identity provider for you")
		}
		if err := provenAgain(ctx, s, in.Body.CurrentPassword); err != nil {
			return nil, err
		}
		return beginFlow(ctx, s, p, id, in.Origin)
	}, serve.Small, serve.Status(201))
	type one struct {
		ID int64 `path:"id"`
	}
	serve.Route(s, "DELETE", "/me/providers/{id}", "unlink-provider", "Remove the link to one's account at an identity provider; the sessions it opened end", func(ctx context.Context, in *one) (*serve.None, error) {
		found, err := s.Authenticator.RemoveLink(ctx, serve.Caller(ctx).User, in.ID, address(ctx))
		if err == nil && !found {
			return nil, seeing.NotFound("you have no such link")
		}
		return &serve.None{}, err
	}, serve.Confirms, serve.Status(204))
	s.App.Post(signOutPath+"sign-out", serve.Handler(s, signedOutThere))
}

func ownProviders(ctx context.Context, s *serve.Server) (wire.ProviderLinkList, error) {
	out := wire.ProviderLinkList{Links: []wire.ProviderLink{}, Providers: []wire.Provider{}}
	id := serve.Caller(ctx).User
	links, err := s.Authenticator.Links(ctx, id)
	if err != nil {
		return out, err
	}
	linked := map[string]bool{}
	for _, l := range links {
		linked[l.Issuer] = true
		of := wire.Provider{Key: "none", Label: l.Issuer} // it is named no more
		if p := provider(s, func(p *openid.Provider) bool { return p.Issuer == l.Issuer }); p != nil {
			of = asProvider(p)
		}
		out.Links = append(out.Links, wire.ProviderLink{ID: l.ID, Provider: of, Subject: l.Subject, MadeAt: l.Made.UTC(), UsedAt: l.Used.UTC()})
	}
	u := s.Ledger.Head().User(id)
	for _, p := range allProviders(s) {
		if !linked[p.Issuer] && isFor(p, u) {
			out.Providers = append(out.Providers, asProvider(p))
		}
	}
	return out, nil
}

// beginFlow sends a browser to a provider, for who signs in or who links it to themselves.
func beginFlow(ctx context.Context, s *serve.Server, p *openid.Provider, user fact.UserID, origin string) (*withCookie[wire.ProviderBegun], error) {
	base := s.Options.PublicURL
	if base == "" {
		place, err := placeOf(origin)
		if err != nil {
			return nil, err
		}
		base = place.Origin
	}
	redirect := strings.TrimSuffix(base, "/") + backPath
	to, f, err := p.Begin(ctx, redirect)
	if err != nil {
		return nil, providerProblem(ctx, s, p, err)
	}
	browser, err := s.Authenticator.BeginFlow(ctx, f.State, signin.Flow{Provider: p.Key, User: user, Nonce: f.Nonce, Verifier: f.Verifier, Redirect: redirect})
	if err != nil {
		return nil, err
	}
	c := cookie(s, browser, s.Service.Clock().Add(10*time.Minute))
	c.Name = s.CookieNamed(serve.FlowCookie)
	return &withCookie[wire.ProviderBegun]{[]http.Cookie{c}, wire.ProviderBegun{Address: to}}, nil
}

// cameBack signs in whoever came back from a provider, or links their account there to them.
func cameBack(ctx context.Context, s *serve.Server, in wire.ProviderAnswer) (*withCookie[wire.Me], error) {
	browser := serve.CallOf(ctx).Flow
	f, err := s.Authenticator.TakeFlow(ctx, in.State, browser)
	if errors.Is(err, signin.ErrFlow) {
		return nil, notIn("Begin again", serve.Upper(err.Error())+".")
	}
	if err != nil {
		return nil, err
	}
	p := provider(s, byKey(f.Provider))
	switch {
	case p == nil:
		return nil, notIn("Begin again", "The identity provider is not used here any more.")
	case f.Link != 0:
		l, ok, err := s.Authenticator.LinkByID(ctx, f.Link)
		if err != nil {
			return nil, err
		}
		if !ok {
			return nil, notIn("Begin again", "The account there is linked to nobody here any more.")
		}
		return signsIn(ctx, s, p, f, in, l, false)
	case in.Error != "":
		return nil, notIn("Not signed in", p.Label+" did not sign you in: "+said(in.Error)+".")
	}
	who, err := p.Finish(ctx, openid.Flow{State: in.State, Nonce: f.Nonce, Verifier: f.Verifier}, f.Redirect, in.Code, in.Issuer)
	if err != nil {
		return nil, providerProblem(ctx, s, p, err)
	}
	f.Session = who.Session
	l, ok, err := s.Authenticator.LinkOf(ctx, who.Issuer, who.Subject)
	if err != nil {
		return nil, err
	}
	if f.User != 0 {
		return links(ctx, s, p, f.User, who, l, ok)
	}
	if !ok {
		if l, err = matched(ctx, s, p, who); err != nil {
			return nil, err
		}
	}
	if err := takeOver(ctx, s, p, l.User, who.Claimed); err != nil {
		return nil, err
	}
	return signsIn(ctx, s, p, f, in, l, who.Factor)
}

// signsIn opens a session for whoever a link says, once their second factor is proved: there, or
// here.
func signsIn(ctx context.Context, s *serve.Server, p *openid.Provider, f signin.Flow, in wire.ProviderAnswer, l signin.Linked, factor bool) (*withCookie[wire.Me], error) {
	head := s.Ledger.Head()
	u := head.User(l.User)
	if u == nil || !isFor(p, u) || !head.MaySignIn(l.User, calendar.At(s.Service.Clock())) {
		s.Authenticator.Record(ctx, signin.Event{Event: "sign-in failed", User: l.User, Address: address(ctx)})
		return nil, notIn("Not signed in", "You are known at "+p.Label+", but cannot sign in here now. Ask your access administrator.")
	}
	if !factor {
		if err := s.Authenticator.ProveSecond(ctx, l.User, in.Second, address(ctx)); err != nil {
			f.Link = l.ID
			if again := s.Authenticator.AgainFlow(ctx, in.State, serve.CallOf(ctx).Flow, f); again != nil {
				return nil, again
			}
			return nil, paused(ctx, s, err, signin.Who{User: l.User, Address: address(ctx)})
		}
	}
	text, expires, err := s.Authenticator.SessionByLink(ctx, l, f.Session, factor, serve.CallOf(ctx).Agent, address(ctx))
	if err != nil {
		return nil, err
	}
	me := questions.Me(s.Service.Now(ctx, seeing.Caller{User: l.User, Via: "console"}))
	return &withCookie[wire.Me]{append(cookies(ctx, s, l.User, text, expires), flowOver(s)), me}, nil
}

// links links an account at a provider to who is signed in and began it.
func links(ctx context.Context, s *serve.Server, p *openid.Provider, user fact.UserID, who openid.Identity, l signin.Linked, known bool) (*withCookie[wire.Me], error) {
	if serve.Caller(ctx).User != user {
		return nil, notIn("Begin again", "Somebody else is signed in here by now.")
	}
	if !known {
		_, err := s.Authenticator.AddOwnLink(ctx, who.Issuer, who.Subject, user, serve.MeansOf(ctx), address(ctx))
		if errors.Is(err, signin.ErrLinked) {
			return nil, seeing.Refused("%s", err)
		}
		if err != nil {
			return nil, err
		}
	} else if l.User != user {
		return nil, seeing.Refused("%s", signin.ErrLinked)
	}
	return &withCookie[wire.Me]{[]http.Cookie{flowOver(s)}, questions.Me(s.Service.Now(ctx, serve.Caller(ctx)))}, nil
}

// matched links somebody who comes for the first time to the user whom the chosen claim means.
func matched(ctx context.Context, s *serve.Server, p *openid.Provider, who openid.Identity) (signin.Linked, error) {
	unknown := func() (signin.Linked, error) {
		s.Authenticator.Record(ctx, signin.Event{Event: "account at an identity provider not known here", Address: address(ctx)})
		return signin.Linked{}, notIn("Not signed in", "You are known at "+p.Label+", but your account there is linked to nobody here. Sign in another way and link it in My access, or ask your access administrator.")
	}
	head := s.Ledger.Head()
	var id fact.UserID
	switch {
	case who.Matches == "" || len(who.Matches) > signin.MostNameBytes || fact.LooksLikeID(strings.ToLower(who.Matches)):
		return unknown()
	case p.Match.To == openid.ToUserName:
		id, _ = head.FindUser(who.Matches)
	default:
		id = query.OneByAddress(head, who.Matches)
	}
	u := head.User(id)
	if id == 0 || u == nil || !isFor(p, u) || !head.MaySignIn(id, calendar.At(s.Service.Clock())) {
		return unknown()
	}
	maker := id
	if p.Match.To == openid.ToEmail { // whoever wrote the address could be meant by it
		by, err := s.Ledger.AddressBy(ctx, id)
		if err != nil {
			return signin.Linked{}, err
		}
		maker = cmp.Or(by, id)
	}
	l, err := s.Authenticator.AddLink(ctx, who.Issuer, who.Subject, id, maker, address(ctx))
	if errors.Is(err, signin.ErrLinked) {
		return unknown()
	}
	return l, err
}

// signedOutThere ends the sessions of somebody who signed out at their provider (Back-Channel
// Logout 1.0, section 2.8). It answers before it is known who asks: what is asked is proved by the
// provider's signature.
func signedOutThere(s *serve.Server, c fiber.Ctx) error {
	ctx := c.Context()
	c.Set("Cache-Control", "no-store")
	refuse := func(detail string) error {
		return c.Status(http.StatusBadRequest).JSON(fiber.Map{"error": "invalid_request", "error_description": detail})
	}
	key := strings.Clone(c.Params("provider"))
	p := provider(s, byKey(key))
	if p == nil {
		return serve.WriteProblem(c, &serve.Problem{Problem: *seeing.NotFound("there is no such identity provider")})
	}
	from := s.AddressOf(c)
	try := signin.Try{Account: "sign-out by " + key + " from " + from}
	if !s.Authenticator.Throttle.Begin(s.Service.Clock(), try) {
		return serve.WriteProblem(c, &serve.Problem{RetryAfter: 60, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Too many attempts", Status: 429, Detail: "Too many tokens were not good. Try again in a minute."}})
	}
	form, err := url.ParseQuery(string(c.Body()))
	if err != nil || len(form["logout_token"]) != 1 {
		return refuse("one logout_token is needed, as application/x-www-form-urlencoded")
	}
	subject, session, err := p.SignedOut(ctx, form.Get("logout_token"))
	if errors.Is(err, openid.ErrAway) { // its keys are not known now: it may say so again
		s.Authenticator.Throttle.Undo(try)
		return serve.WriteProblem(c, serve.ProblemOf(providerProblem(ctx, s, p, err)))
	}
	if err != nil {
		s.Log.Info("a sign-out by an identity provider was refused", "provider", key, "error", err)
		return refuse("the logout_token is not good here")
	}
	s.Authenticator.Throttle.Succeeded(try)
	if _, err := s.Authenticator.EndByProvider(ctx, p.Issuer, subject, session, from); err != nil {
		return err
	}
	return c.SendStatus(http.StatusOK)
}

// signOutAt is where somebody signs out of the provider that a session was opened by, or blank.
func signOutAt(ctx context.Context, s *serve.Server, cookie, origin string) string {
	issuer, err := s.Authenticator.IssuerOf(ctx, cookie)
	if err != nil || issuer == "" {
		return ""
	}
	p := provider(s, func(p *openid.Provider) bool { return p.Issuer == issuer })
	if p == nil {
		return ""
	}
	base := s.Options.PublicURL
	if place, err := placeOf(origin); base == "" && err == nil {
		base = place.Origin
	}
	if base == "" {
		return ""
	}
	return p.SignOutAt(ctx, strings.TrimSuffix(base, "/")+"/")
}

// flowOver ends the cookie of a flow.
func flowOver(s *serve.Server) http.Cookie {
	c := cookie(s, "", time.Unix(0, 0))
	c.Name = s.CookieNamed(serve.FlowCookie)
	return c
}

func notIn(title, detail string) *serve.Problem {
	return &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: title, Status: 401, Detail: detail}}
}

// providerProblem tells an error of an identity provider; what exactly it was stands in the log.
func providerProblem(ctx context.Context, s *serve.Server, p *openid.Provider, err error) error {
	s.Log.Warn("an identity provider did not let somebody in", "request", serve.CallOf(ctx).ID, "provider", p.Key, "error", err)
	if errors.Is(err, openid.ErrAway) {
		return &serve.Problem{RetryAfter: 30, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "The identity provider is away", Status: 503,
			Detail: p.Label + " does not answer now. Try again later, or sign in with your password."}}
	}
	s.Authenticator.Record(ctx, signin.Event{Event: "sign-in failed", Address: address(ctx)})
	return notIn("Not signed in", "What came back from "+p.Label+" does not prove who you are. Try again; if it stays so, tell your access administrator.")
}

// said is a provider's word for why it let nobody in, where it is one of the standard's (RFC 6749,
// section 4.1.2.1; Core, section 3.1.2.6).
func said(code string) string {
	switch code {
	case "access_denied":
		return "it was cancelled, or is not allowed there"
	case "temporarily_unavailable", "server_error":
		return "it cannot do so now"
	case "login_required", "interaction_required", "consent_required", "account_selection_required":
		return "it needs you to sign in there first"
	}
	return "this service is not set up there as it must be"
}
