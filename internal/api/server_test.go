package api

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/jobs"
	"ableroster/internal/ledger"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gofiber/fiber/v3"
	"github.com/jackc/pgx/v5/pgxpool"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

var console = fstest.MapFS{
	"index.html":     {Data: []byte("<!doctype html><title>the console</title>")},
	"theme.js":       {Data: []byte("theme()")},
	"assets/a-1.js":  {Data: []byte("run()")},
	"assets/a-1.css": {Data: []byte("p{}")},
	"pages.json":     {Data: []byte(`["", "users"]`)},
}

// testServer is a server in this process, on an empty ledger.
type testServer struct {
	*serve.Server
	log bytes.Buffer
}

func serving(t *testing.T, o serve.Options) *testServer {
	t.Helper()
	pool, err := pgxpool.New(ctx, testkit.Database(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(pool.Close)
	s := &testServer{}
	log := slog.New(slog.NewJSONHandler(&s.log, nil))
	l, err := ledger.Open(ctx, pool, log)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(l.Close)
	authenticator, err := signin.Open(ctx, pool, log, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(authenticator.Close)
	queue, err := jobs.Open(pool, log)
	if err != nil {
		t.Fatal(err)
	}
	s.Server, err = New(&seeing.Service{Ledger: l, Clock: time.Now, Jobs: queue}, authenticator, log, console, o)
	if err != nil {
		t.Fatal(err)
	}
	if err := queue.Start(ctx, func(ctx context.Context, u *jobs.Upload, content []byte, run *jobs.Run) (jobs.Answer, error) {
		return WorkUpload(ctx, s.Server, u, content, run)
	}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { queue.Stop(ctx, time.Now()) })
	return s
}

// call asks the server and gives the answer with its body read.
func (s *testServer) call(t *testing.T, method, path, body string, headers ...string) (*http.Response, string) {
	t.Helper()
	req := httptest.NewRequest(method, path, strings.NewReader(body))
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := s.App.Test(req, fiber.TestConfig{Timeout: 30 * time.Second})
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp, string(raw)
}

// setUp makes marta.quill the first administrator and gives her cookie.
func (s *testServer) setUp(t *testing.T) string {
	t.Helper()
	link, err := s.Authenticator.NewSetUpLink(ctx)
	if err != nil {
		t.Fatal(err)
	}
	body, _ := json.Marshal(wire.SetUpRequest{Link: link, Organisation: "Larkhaven", TimeZone: "Europe/Lisbon", UserName: "marta.quill", DisplayName: "Marta Quill", Password: "a tide of ropes"})
	resp, text := s.call(t, "POST", "/api/v1/set-up", string(body))
	if resp.StatusCode != 201 {
		t.Fatalf("%d %s", resp.StatusCode, text)
	}
	return resp.Cookies()[0].Name + "=" + resp.Cookies()[0].Value
}

func problemIn(t *testing.T, resp *http.Response, body string) wire.Problem {
	t.Helper()
	var p wire.Problem
	if err := json.Unmarshal([]byte(body), &p); err != nil || resp.Header.Get("Content-Type") != "application/problem+json" {
		t.Fatalf("not a problem: %s %s", resp.Header.Get("Content-Type"), body)
	}
	if p.Status != resp.StatusCode || p.Type == "" || p.Title == "" || p.Instance != resp.Header.Get("X-Request-Id") {
		t.Errorf("a problem that is not whole: %d %+v, request %s", resp.StatusCode, p, resp.Header.Get("X-Request-Id"))
	}
	return p
}

var parameter = regexp.MustCompile(`:(\w+)`)

// The document and the routes say the same: a route that is not in it, or an
// entry without a route, fails here.
func TestTheDocumentIsHeldToTheRoutes(t *testing.T) {
	s, err := New(&seeing.Service{}, nil, slog.New(slog.DiscardHandler), console, serve.Options{})
	if err != nil {
		t.Fatal(err)
	}
	doc, err := openapi3.NewLoader().LoadFromData(s.Document())
	if err != nil {
		t.Fatal(err)
	}
	if doc.OpenAPI != "3.1.0" {
		t.Errorf("OpenAPI %s", doc.OpenAPI)
	}
	documented := []string{"GET /api/v1/openapi.json"} // the document itself
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			documented = append(documented, method+" "+path)
			if op.Summary == "" || op.OperationID == "" {
				t.Errorf("%s %s has no summary or no id", method, path)
			}
		}
	}
	var served []string
	for _, r := range s.App.GetRoutes(true) {
		if strings.HasPrefix(r.Path, "/api/v1") && r.Method != "HEAD" {
			served = append(served, r.Method+" "+parameter.ReplaceAllString(r.Path, "{$1}"))
		}
	}
	slices.Sort(documented)
	slices.Sort(served)
	if served = slices.Compact(served); !slices.Equal(documented, served) {
		t.Errorf("documented\n  %s\nserved\n  %s", strings.Join(documented, "\n  "), strings.Join(served, "\n  "))
	}
}

func TestEveryAnswerCarriesStrictHeaders(t *testing.T) {
	s := serving(t, serve.Options{Secure: true})
	for _, path := range []string{"/", "/users/somebody", "/theme.js", "/api/v1/me", "/api/v1/nothing", "/livez"} {
		resp, _ := s.call(t, "GET", path, "")
		csp := resp.Header.Get("Content-Security-Policy")
		sources := map[bool]string{true: "default-src 'none'", false: "default-src 'self'"}[strings.HasPrefix(path, "/api/")]
		if !strings.Contains(csp, sources) || strings.Contains(csp, "unsafe") || !strings.Contains(csp, "frame-ancestors 'none'") {
			t.Errorf("%s: %q", path, csp)
		}
		for header, want := range map[string]string{"X-Content-Type-Options": "nosniff", "Referrer-Policy": "same-origin", "Strict-Transport-Security": "max-age=31536000"} {
			if got := resp.Header.Get(header); got != want {
				t.Errorf("%s: %s is %q", path, header, got)
			}
		}
		if strings.HasPrefix(path, "/api/") && resp.Header.Get("Cache-Control") != "no-store" {
			t.Errorf("%s may be cached", path)
		}
	}
}

func TestTheConsoleIsServedForItsAddresses(t *testing.T) {
	s := serving(t, serve.Options{})
	for path, want := range map[string]struct {
		status      int
		body, cache string
	}{
		"/":                    {200, "the console", "no-cache"},
		"/users/ines.halloran": {200, "the console", "no-cache"},
		"/index.html":          {200, "the console", "no-cache"},
		"/theme.js":            {200, "theme()", ""},
		"/assets/a-1.js":       {200, "run()", "public, max-age=31536000, immutable"},
		"/assets/gone.js":      {404, "no such file", ""},
		"/groups":              {404, "the console", "no-cache"}, // its build names no such page
		"/../../etc/passwd":    {404, "the console", "no-cache"},
		"/metrics":             {404, "the console", "no-cache"},
	} {
		resp, body := s.call(t, "GET", path, "", "Accept-Encoding", "identity")
		if strings.HasSuffix(path, ".js") && want.status == 200 {
			packed, text := s.call(t, "GET", path, "", "Accept-Encoding", "br;q=0.1, gzip")
			z, err := gzip.NewReader(strings.NewReader(text))
			if err != nil || packed.Header.Get("Content-Encoding") != "gzip" || packed.Header.Get("Vary") != "Accept-Encoding" {
				t.Fatalf("%s comes as %v (%v)", path, packed.Header, err)
			}
			if plain, err := io.ReadAll(z); err != nil || string(plain) != body {
				t.Errorf("%s comes packed as %q (%v)", path, plain, err)
			}
		}
		if resp.StatusCode != want.status || !strings.Contains(body, want.body) || resp.Header.Get("Cache-Control") != want.cache {
			t.Errorf("%s: %d %q %s", path, resp.StatusCode, resp.Header.Get("Cache-Control"), body)
		}
	}
}

// A server that is over answers no call of the API, and keeps no connection.
func TestAServerThatIsOverAnswersNothing(t *testing.T) {
	s := serving(t, serve.Options{})
	if resp, _ := s.call(t, "GET", "/api/v1/set-up", ""); resp.StatusCode != 200 || resp.Close {
		t.Fatalf("%+v", resp)
	}
	s.Over()
	if resp, body := s.call(t, "GET", "/api/v1/set-up", ""); resp.StatusCode != 503 || !resp.Close {
		t.Errorf("%d %v %s", resp.StatusCode, resp.Close, body)
	}
}

func TestAPanicEndsOneCallAndNothingElse(t *testing.T) {
	s := serving(t, serve.Options{})
	s.App.Post("/boom", func(fiber.Ctx) error { panic("a hull violation") })
	for range 3 {
		resp, body := s.call(t, "POST", "/boom", "")
		if p := problemIn(t, resp, body); p.Status != 500 || strings.Contains(body, "hull") {
			t.Errorf("%s", body)
		}
	}
	if resp, _ := s.call(t, "GET", "/livez", ""); resp.StatusCode != 200 {
		t.Errorf("not alive: %d", resp.StatusCode)
	}
	if log := s.log.String(); strings.Count(log, "a hull violation") != 3 || !strings.Contains(log, "server_test.go") {
		t.Errorf("the log says %s", log)
	}
}

func TestWhoIsNotSignedInIsToldSoEverywhere(t *testing.T) {
	s := serving(t, serve.Options{})
	doc, err := openapi3.NewLoader().LoadFromData(s.Document())
	if err != nil {
		t.Fatal(err)
	}
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if op.Security != nil && len(*op.Security) == 0 {
				continue // open to anybody, and says so
			}
			for _, headers := range [][]string{nil, {"Authorization", "Bearer roster_guess"}, {"Cookie", serve.CookieName + "=guess"}} {
				resp, body := s.call(t, method, strings.NewReplacer("{", "", "}", "").Replace(path), "", headers...)
				if p := problemIn(t, resp, body); p.Status != 401 {
					t.Errorf("%s %s: %s", method, path, body)
				}
			}
		}
	}
}

func TestRequestsThatCannotBeRead(t *testing.T) {
	s := serving(t, serve.Options{})
	cookie := s.setUp(t)
	for _, x := range []struct {
		name, method, path, body string
		status                   int
		kind, says               string
	}{
		{"no JSON", "POST", "/api/v1/changes", "{", 400, "invalid", ""},
		{"another type", "POST", "/api/v1/changes", `{"operations": "grant"}`, 422, "invalid", "/operations"},
		{"a field too many", "POST", "/api/v1/changes", `{"operations": [], "whim": 1}`, 422, "invalid", "/whim"},
		{"no operations", "POST", "/api/v1/changes", `{"operations": [], "reason": "x"}`, 422, "invalid", "there is nothing to do"},
		{"no reason", "POST", "/api/v1/changes", `{"operations": [{"op": "add_group", "key": "x"}]}`, 422, "invalid", "/reason"},
		{"an operation that is none", "POST", "/api/v1/changes", `{"reason": "x", "operations": [{"op": "add_group", "key": "x"}, {"op": "sing"}]}`, 422, "invalid", "/operations/1/op"},
		{"a question that is none", "POST", "/api/v1/check", `[]`, 422, "invalid", ""},
		{"a path that is none", "POST", "/api/v1/check", `{"user": "marta.quill", "application": "able-roster", "action": "read", "path": "a//b"}`, 422, "invalid", "segment 2 is empty"},
		{"a day that is none", "GET", "/api/v1/users?as_of=yesterday", "", 422, "invalid", "as_of"},
		{"a day before the first", "GET", "/api/v1/users?as_of=1999-01-01T00:00:00Z", "", 422, "invalid", "before the first revision"},
		{"a cursor that is none", "GET", "/api/v1/users?cursor=abc", "", 422, "invalid", "cursor"},
		{"a cursor of another list", "GET", "/api/v1/revisions?cursor=ZnJvbSA1", "", 422, "invalid", "cursor"},
		{"too many rows", "GET", "/api/v1/users?limit=100000", "", 422, "invalid", "limit"},
		{"a status that is none", "GET", "/api/v1/users?status=away", "", 422, "invalid", "status"},
		{"an order that is none", "GET", "/api/v1/users?sort=height", "", 422, "invalid", "sort"},
		{"nobody of that name", "GET", "/api/v1/users/nobody", "", 404, "not-found", "no user"},
		{"no such revision", "GET", "/api/v1/revisions/99", "", 404, "not-found", "no revision 99"},
		{"no such address", "GET", "/api/v1/nothing", "", 404, "not-found", "openapi.json"},
		{"a method that is none", "DELETE", "/api/v1/users", "", 405, "not-supported", "it takes GET, HEAD, OPTIONS"},
		{"a body too large", "POST", "/api/v1/changes", `{"reason": "` + strings.Repeat("x", 5<<20) + `"}`, 413, "too-large", ""},
		{"a reason too long", "POST", "/api/v1/changes", `{"operations": [{"op": "add_group", "key": "x"}], "reason": "` + strings.Repeat("x", 2001) + `"}`, 422, "invalid", "/reason"},
	} {
		t.Run(x.name, func(t *testing.T) {
			resp, body := s.call(t, x.method, x.path, x.body, "Cookie", cookie)
			p := problemIn(t, resp, body)
			if p.Status != x.status || p.Type != x.kind || !strings.Contains(body, x.says) {
				t.Errorf("%d %s", resp.StatusCode, body)
			}
		})
	}
	if head := s.Ledger.Head().Revision; head != 1 {
		t.Errorf("something was changed: revision %d", head)
	}
}

// Cookies go only where our own pages ask; tokens need no such care.
func TestCallsFromOtherSitesAreRefused(t *testing.T) {
	s := serving(t, serve.Options{})
	cookie := s.setUp(t)
	change := `{"operations": [{"op": "add_group", "key": "x"}], "reason": "x"}`
	for _, headers := range [][]string{
		{"Sec-Fetch-Site", "cross-site"}, {"Sec-Fetch-Site", "same-site"}, {"Origin", "https://elsewhere.example"}, {"Origin", "null"},
	} {
		resp, body := s.call(t, "POST", "/api/v1/changes", change, append(headers, "Cookie", cookie)...)
		if p := problemIn(t, resp, body); p.Status != 403 {
			t.Errorf("%v: %s", headers, body)
		}
		resp, body = s.call(t, "POST", "/api/v1/session", `{"user_name": "marta.quill", "password": "a tide of ropes"}`, headers...)
		if p := problemIn(t, resp, body); p.Status != 403 {
			t.Errorf("signing in from %v: %s", headers, body)
		}
	}
	for _, headers := range [][]string{{"Sec-Fetch-Site", "same-origin"}, {"Origin", "http://example.com"}} {
		if resp, body := s.call(t, "POST", "/api/v1/changes?dry_run=true", change, append(headers, "Cookie", cookie)...); resp.StatusCode != 200 {
			t.Errorf("%v: %s", headers, body)
		}
	}
}

func TestTheSessionCookieIsStrict(t *testing.T) {
	testkit.Long(t)
	for secure, want := range map[bool]bool{true: true, false: false} {
		s := serving(t, serve.Options{Secure: secure})
		s.setUp(t)
		resp, body := s.call(t, "POST", "/api/v1/session", `{"user_name": "MARTA.quill", "password": "a tide of ropes"}`)
		if resp.StatusCode != 200 {
			t.Fatalf("%s", body)
		}
		c := resp.Cookies()[0]
		if !c.HttpOnly || c.SameSite != http.SameSiteStrictMode || c.Secure != want || c.Path != "/" {
			t.Errorf("%+v", c)
		}
		cookie := c.Name + "=" + c.Value
		if resp, _ := s.call(t, "DELETE", "/api/v1/session", "", "Cookie", cookie); resp.StatusCode != 204 {
			t.Errorf("signing out: %d", resp.StatusCode)
		}
		if resp, _ := s.call(t, "GET", "/api/v1/me", "", "Cookie", cookie); resp.StatusCode != 401 {
			t.Errorf("after signing out: %d", resp.StatusCode)
		}
	}
}

func TestTooManyAttemptsArePausedWithARetryAfter(t *testing.T) {
	s := serving(t, serve.Options{})
	s.setUp(t)
	var resp *http.Response
	var body string
	for range 5 {
		resp, body = s.call(t, "POST", "/api/v1/session", `{"user_name": "marta.quill", "password": "a guess or two"}`)
	}
	if p := problemIn(t, resp, body); p.Status != 429 || resp.Header.Get("Retry-After") == "" {
		t.Errorf("%d %s %q", p.Status, p.Detail, resp.Header.Get("Retry-After"))
	}
}

func TestTheFirstAdministratorIsNamedOnceByTheLink(t *testing.T) {
	s := serving(t, serve.Options{})
	body := func(link, password, zone string) string {
		raw, _ := json.Marshal(wire.SetUpRequest{Link: link, Organisation: "Larkhaven", TimeZone: zone, UserName: "marta.quill", DisplayName: "Marta", Password: password})
		return string(raw)
	}
	link, err := s.Authenticator.NewSetUpLink(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		body   string
		status int
	}{{body("guess", "a tide of ropes", "UTC"), 403}, {body(link, "short", "UTC"), 422}, {body(link, "a tide of ropes", "Atlantis"), 422}} {
		if resp, text := s.call(t, "POST", "/api/v1/set-up", x.body); problemIn(t, resp, text).Status != x.status {
			t.Errorf("%s: %s", x.body, text)
		}
	}
	if _, text := s.call(t, "GET", "/api/v1/set-up", ""); !strings.Contains(text, `"waiting":true`) {
		t.Errorf("%s", text)
	}
	if resp, text := s.call(t, "POST", "/api/v1/set-up", body(link, "a tide of ropes", "UTC")); resp.StatusCode != 201 {
		t.Fatalf("%s", text)
	}
	late, err := s.Authenticator.NewSetUpLink(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, l := range []string{link, late} { // used up; and onto a ledger that is not empty
		if resp, text := s.call(t, "POST", "/api/v1/set-up", body(l, "a tide of ropes", "UTC")); problemIn(t, resp, text).Status != 403 {
			t.Errorf("%s", text)
		}
	}
	if n := s.Ledger.Head().Revision; n != 1 {
		t.Errorf("revision %d", n)
	}
}

func TestDecisionsOnTooOldAHeadAreRefused(t *testing.T) {
	s := serving(t, serve.Options{MaxAge: time.Nanosecond})
	cookie := s.setUp(t)
	ask := `{"user": "marta.quill", "application": "able-roster", "action": "read", "path": "users"}`
	resp, body := s.call(t, "POST", "/api/v1/check", ask, "Cookie", cookie)
	if p := problemIn(t, resp, body); p.Status != 503 || resp.Header.Get("Retry-After") == "" {
		t.Errorf("%s", body)
	}
	if resp, _ := s.call(t, "GET", "/api/v1/users", "", "Cookie", cookie); resp.StatusCode != 200 || resp.Header.Get("Roster-Revision") != "1" || resp.Header.Get("Roster-Age") == "" {
		t.Errorf("reading goes on: %d %v", resp.StatusCode, resp.Header)
	}
}

// Nobody is let in either by what is too old: they may have been suspended meanwhile.
func TestNobodyIsLetInByTooOldAHead(t *testing.T) {
	s := serving(t, serve.Options{MaxAge: time.Nanosecond})
	s.setUp(t)
	for path, body := range map[string]string{
		"/api/v1/session":       `{"user_name": "marta.quill", "password": "larkhaven-tide-table"}`,
		"/api/v1/session/token": `{"user_name": "marta.quill", "password": "larkhaven-tide-table", "label": "x"}`,
		"/api/v1/sign-in-link":  `{"link": "x", "password": "larkhaven-tide-table"}`,
	} {
		resp, text := s.call(t, "POST", path, body)
		if p := problemIn(t, resp, text); p.Status != 503 || p.Title != "Too old" {
			t.Errorf("%s: %s", path, text)
		}
	}
}
