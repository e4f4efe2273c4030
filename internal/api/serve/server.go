package serve

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"io"
	"io/fs"
	"log/slog"
	"math"
	"net/netip"
	"net/url"
	"reflect"
	"runtime"
	"runtime/debug"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"ableroster/internal/budget"
	"ableroster/internal/calendar"
	"ableroster/internal/ledger"
	"ableroster/internal/openid"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"go.opentelemetry.io/otel/trace"
)

// Server serves the API and the console.
type Server struct {
	connections   connections
	App           *fiber.App
	Service       *seeing.Service
	Ledger        *ledger.Ledger
	Authenticator *signin.Authenticator
	Log           *slog.Logger
	Options       Options
	API           huma.API
	doc           []byte
	Budget        *budget.Budget
	stopping      atomic.Bool
	over          atomic.Bool
	Providers     atomic.Pointer[[]*openid.Provider]
}

const (
	headLimit    = 64 << 10 // the longest filter, escaped, and the rest
	RequestLimit = 60 * time.Second
	CookieName   = "able_roster_session"
	DeviceCookie = "able_roster_device"
)

// Options are what an installation chooses.
type Options struct {
	Secure bool          // reached over TLS: cookies only there
	MaxAge time.Duration // decisions on an older head are refused; 0: never

	// Proxies are those whose word on where a call came from is taken; none: the
	// connection's own address counts.
	Proxies []netip.Prefix

	// LargestFile is how many bytes a file may have that something is changed by; 0: 32 MB.
	LargestFile int

	// SecondFactor is who needs a second factor; blank is nobody.
	SecondFactor string

	// PublicURL is the address under which people reach the service, where it is another than
	// that of the call.
	PublicURL string

	// Providers are the identity providers that people sign in by.
	Providers []openid.Config

	// Mail says that this service has a mail server.
	Mail bool

	// Tracer makes a span of each call; nil where nothing is traced.
	Tracer trace.Tracer

	// Answered hears of each call that was answered, by the route it matched; nil hears
	// nothing.
	Answered func(method, route string, status int, took time.Duration)
}

// New builds the server; console is the built console, and routes registers the calls.
func New(d *seeing.Service, authenticator *signin.Authenticator, log *slog.Logger, console fs.FS, o Options, routes func(*Server)) (*Server, error) {
	s := &Server{Service: d, Ledger: d.Ledger, Authenticator: authenticator, Log: log, Options: o, Budget: budget.New(max(1, runtime.GOMAXPROCS(0)-1), bodiesAtOnce, time.Now)}
	if authenticator != nil {
		authenticator.Powers = questions.Standing{Service: d}
	}
	s.App = fiber.New(fiber.Config{
		AppName: "Able Roster", BodyLimit: UnknownBody, StreamRequestBody: true, DisablePreParseMultipartForm: true, CaseSensitive: true, StrictRouting: true, ReadBufferSize: headLimit,
		ReadTimeout: 30 * time.Second, WriteTimeout: 2 * RequestLimit, IdleTimeout: 2 * time.Minute,
		ErrorHandler: func(c fiber.Ctx, err error) error {
			p := ProblemOf(err)
			if p.Status == 500 {
				s.Log.Error("request failed", "request", requestID(c), "error", err)
			}
			return WriteProblem(c, p)
		},
	})
	s.App.Use(s.logged)
	if o.Tracer != nil {
		s.App.Use(s.traced)
	}
	s.App.Use(s.wellFormed, s.compressed, s.tagged, s.stands, s.atLeast, s.headers, s.identified, s.sameRevision, s.bounded, s.recorded)
	s.App.Get("/livez", func(c fiber.Ctx) error { return c.SendString("alive\n") })
	s.App.Get("/readyz", s.ready)

	config := huma.DefaultConfig("Able Roster", "1")
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil // no $schema links
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[wire.Problem](), reflect.TypeFor[Problem]())
	config.Info.Description = "Users, groups, applications, roles and who holds them; the effect of a change before it is made, and any past day."
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: CookieName},
	}
	s.API = huma.NewAPI(config, &adapter{s.App})
	s.API.UseMiddleware(s.declared)
	routes(s)
	doc, err := Document(s.API.OpenAPI())
	if err != nil {
		return nil, err
	}
	s.doc = doc
	s.App.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/api/v1/openapi.json", s.sendDocument())
	s.App.All("/api/*", s.elsewhere(s.API.OpenAPI()))
	return s, s.serveConsole(console)
}

// Document is the OpenAPI document.
func (s *Server) Document() []byte { return s.doc }

type contextKey struct{}

// call is what is known of a request: filled in as it passes, and read through
// its context.
type call struct {
	ID      string
	Caller  seeing.Caller // nobody while it is not known
	Address string
	Cookie  string // of the session, when that is how they are known
	Device  string // the secret of the browser, where it has one
	Flow    string // that of a browser that was sent to an identity provider
	Second  bool   // the caller has a second factor
	Agent   string // what the browser or program calls itself

	Token   bool      // they are known by a token
	bearer  string    // which that is
	Expires time.Time // when that, or the session, ends

	about []string // the ids of whom a refusal speaks

	File io.Reader // the body of a call that takes a file

	leave    func() // gives back what the call has of the budget
	Server   *Server
	Page     seeing.Page // of the list it asks for
	older    bool        // that page is of an older head, which has to be put in order first
	Question [8]byte     // what of, where it asks for a list

	inside bool // it is made by the service itself, for a call that has a place
}

// CallOf is what is known of the request of a context.
func CallOf(ctx context.Context) *call {
	if x, ok := ctx.Value(contextKey{}).(*call); ok {
		return x
	}
	return &call{}
}

func requestID(c fiber.Ctx) string { return CallOf(c.Context()).ID }

// logged gives each request an id, a deadline and a line in the log, and turns
// a panic into a 500 that ends nothing else.
func (s *Server) logged(c fiber.Ctx) (err error) {
	began := time.Now()
	raw := make([]byte, 8)
	rand.Read(raw)
	id := hex.EncodeToString(raw)
	known := &call{ID: id, Server: s, inside: c.RequestCtx().UserValue(InsideKey) != nil}
	defer func() {
		if known.leave != nil {
			known.leave()
		}
	}()
	ctx, cancel := context.WithTimeout(seeing.WithPage(context.WithValue(c.Context(), contextKey{}, known), &known.Page), RequestLimit)
	defer cancel()
	c.SetContext(ctx)
	c.Set("X-Request-Id", id)
	answersOwnID(c)
	defer func() {
		if p := recover(); p != nil {
			s.Log.Error("panic", "request", id, "panic", p, "stack", string(debug.Stack()))
			err = WriteProblem(c, ProblemOf(nil))
		}
		if s.Options.Answered != nil {
			s.Options.Answered(c.Method(), c.Route().Path, c.Response().StatusCode(), time.Since(began))
		}
		level := slog.LevelInfo
		if status := c.Response().StatusCode(); status >= 500 {
			level = slog.LevelWarn
		} else if !calls(c.Path()) || c.Path() == "/api/v1/check" || strings.HasPrefix(c.Path(), AccessPath+"evaluation") {
			level = slog.LevelDebug
		}
		if !s.Log.Enabled(ctx, level) {
			return
		}
		s.Log.Log(ctx, level, "request", "request", id, "method", c.Method(), "path", strings.Clone(c.Path()),
			"status", c.Response().StatusCode(), "ms", math.Round(time.Since(began).Seconds()*1e4)/10, "user", known.Caller.User.String())
	}()
	if err := c.Next(); err != nil {
		return s.App.Config().ErrorHandler(c, err)
	}
	// How long an answer took tells something of others: it is for those who look after it.
	if x := known.Caller.User; x != 0 && calls(c.Path()) && !decides(c.Path()) && s.Service.Now(c.Context(), known.Caller).LooksAfter() {
		c.Set("Server-Timing", "total;dur="+strconv.FormatFloat(time.Since(began).Seconds()*1000, 'f', 1, 64))
	}
	return nil
}

// decides says whether a path is one of those that applications ask all the time.
func decides(path string) bool {
	return strings.HasPrefix(path, AccessPath) || path == "/api/v1/check" || path == "/api/v1/checks" || path == "/api/v1/menu"
}

// headers keeps browsers from doing with our pages what we do not do.
func (s *Server) headers(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("X-Frame-Options", "DENY")
	c.Set("Referrer-Policy", "same-origin")
	if s.Options.Secure {
		c.Set("Strict-Transport-Security", "max-age=31536000")
	}
	if calls(c.Path()) { // data, and no page of its own
		c.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		c.Set("Cache-Control", "no-store")
		s.mark(c)
		c.Set("Roster-Age", strconv.FormatFloat(s.Ledger.Age().Seconds(), 'f', 1, 64))
		err := c.Next()
		if !safe(c.Method()) { // it may have made a revision
			s.mark(c)
		}
		return err
	}
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	c.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
	return c.Next()
}

// open are the calls that need nobody signed in.
var open = map[string]bool{"POST /api/v1/session": true, "POST /api/v1/session/passkey-ceremony": true, "POST /api/v1/session/passkey": true, "GET /api/v1/session/providers": true, "POST /api/v1/session/provider-flow": true, "POST /api/v1/session/provider": true, "POST /api/v1/session/token": true, "GET /api/v1/set-up": true, "POST /api/v1/set-up": true, "POST /api/v1/sign-in-link": true, "POST /api/v1/password-reset": true, "POST /api/v1/sign-up": true, "POST /api/v1/sign-up/account": true, "GET /api/v1/openapi.json": true}

// identified finds out who calls, by token or by session. A call by session
// that changes something must come from our own pages.
func (s *Server) identified(c fiber.Ctx) error {
	if !calls(c.Path()) {
		return c.Next()
	}
	x := CallOf(c.Context())
	x.Address = s.AddressOf(c)
	x.Agent = strings.Clone(c.Get("User-Agent"))
	if len(x.Agent) > 300 {
		x.Agent = x.Agent[:300]
	}
	x.Device = strings.Clone(c.Cookies(s.CookieNamed(DeviceCookie)))
	x.Flow = strings.Clone(c.Cookies(s.CookieNamed(FlowCookie)))
	var by signin.Known
	via := "API"
	if bearer, ok := strings.CutPrefix(c.Get("Authorization"), "Bearer "); ok {
		by, x.Token, x.bearer = s.Authenticator.Token(bearer), true, strings.Clone(bearer)
		if strings.HasPrefix(c.Get("User-Agent"), "roster/") {
			via = "command line"
		}
	} else if cookie := strings.Clone(c.Cookies(s.CookieNamed(CookieName))); cookie != "" {
		by = s.Authenticator.Session(cookie)
		via = "console"
		x.Cookie = cookie
	}
	if via != "API" && via != "command line" || strings.HasPrefix(c.Path(), "/api/v1/session") {
		if !safe(c.Method()) && !sameOrigin(c) {
			return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindRefused, Title: "Refused", Status: 403,
				Detail: "This call came from another site's page."}})
		}
	}
	x.Expires, x.Second = by.Expires, by.Second
	known := by.User != 0 && s.Ledger.Head().MaySignIn(by.User, calendar.At(s.Service.Clock()))
	if meant := c.Get("Roster-User"); known && meant != "" && meant != by.User.String() {
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindAnotherUser, Title: "Somebody else is signed in", Status: 409,
			Detail: "Nothing was done: somebody else is signed in here by now, not the user this was meant for."}})
	}
	if method := c.Method(); !known && method != fiber.MethodOptions && !open[method+" "+c.Path()] && !(method == fiber.MethodHead && open["GET "+c.Path()]) {
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: "Not signed in", Status: 401,
			Detail: "Sign in, or send an API token that is still good."}})
	}
	if known && by.Only != "" && !goodFor(by.Only, c.Method(), c.Path()) {
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindRefused, Title: "Refused", Status: 403,
			Detail: "This token is for " + by.Only + " alone."}})
	}
	if known && !by.Second && s.NeedsSecond(by.User) && !withoutSecond[c.Method()+" "+c.Path()] && !open[c.Method()+" "+c.Path()] {
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindNeedsFactor, Title: "A second factor is needed", Status: 403,
			Detail: "Whoever administers Able Roster signs in by a second factor, too. Add one first: the console asks for it, and so does roster second-factor add."}})
	}
	if known {
		x.Caller = seeing.Caller{User: by.User, Via: via}
		if p := s.actsFor(c, x); p != nil {
			return WriteProblem(c, p)
		}
	}
	return c.Next()
}

func safe(method string) bool { return method == "GET" || method == "HEAD" || method == "OPTIONS" }

// sameOrigin holds unsafe calls with a cookie to our own pages: by the Origin header,
// which is never foreign, and by the browser's word on the site where it gives it.
// Programs that are no browsers send neither.
func sameOrigin(c fiber.Ctx) bool {
	if origin := c.Get("Origin"); origin != "" {
		if u, err := url.Parse(origin); err != nil || u.Host != c.Host() {
			return false
		}
	}
	site := c.Get("Sec-Fetch-Site")
	return site == "" || site == "same-origin" || site == "none"
}

// ready says whether calls are well sent here, and why not: a service that is stopping,
// cannot follow its database, or cannot write goes on answering what it knows.
func (s *Server) ready(c fiber.Ctx) error {
	age := s.Ledger.Age()
	why := s.Ledger.NotReady()
	if s.stopping.Load() {
		why = "it is stopping"
	}
	body := fiber.Map{"ready": why == "", "revision": s.Ledger.Head().Revision, "age_seconds": math.Round(age.Seconds()*10) / 10, "database": age < 5*time.Second}
	if why != "" {
		body["why"] = why
		c.Status(503)
	}
	return c.JSON(body)
}

// Stopping has the service say that it is not ready any more: what was begun is finished.
func (s *Server) Stopping() { s.stopping.Store(true) }

// Over has the service answer nothing any more: whoever is still connected is sent away, and comes
// back to the server that answers in its place.
func (s *Server) Over() { s.over.Store(true) }

// gone says why nothing may be answered, blank while it may.
func (s *Server) gone() string {
	if why := s.Ledger.Lost(); why != "" || !s.over.Load() {
		return why
	}
	return "the database went away while it started"
}
