package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// says is an answer to a call with headers of its own.
type says struct {
	status int
	http.Header
	body []byte
}

func asks(t *testing.T, s *testkit.Service, token, method, path, body string, headers ...string) says {
	t.Helper()
	req, err := http.NewRequest(method, s.Base+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	req.Header.Set("Accept-Encoding", "identity")
	for i := 0; i < len(headers); i += 2 {
		req.Header[http.CanonicalHeaderKey(headers[i])] = []string{headers[i+1]}
	}
	resp, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return says{resp.StatusCode, resp.Header, raw}
}

// Every call takes the methods it says, and says which they are: HEAD is GET without its
// content, OPTIONS and 405 name them, and nobody signed in is told how one does (RFC 9110).
func TestEveryAddressKeepsToTheMethodsOfHTTP(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	methods := map[string][]string{}
	for _, route := range routesOf(t, marta) {
		method, path, _ := strings.Cut(route, " ")
		methods[path] = append(methods[path], method)
	}
	for path, known := range methods {
		for name, value := range named {
			if strings.HasPrefix(name, "{") {
				path = strings.ReplaceAll(path, name, value)
			}
		}
		for other, more := range methods { // one may fit it too, as /imports/{name} fits /imports/users
			fits := regexp.MustCompile("^" + regexp.MustCompile(`\\{\w+\\}`).ReplaceAllString(regexp.QuoteMeta(other), "[^/]+") + "$")
			if fits.MatchString(path) {
				known = append(slices.Clone(known), more...)
			}
		}
		if slices.Contains(known, "GET") {
			known = append(known, "HEAD")
		}
		known = append(known, "OPTIONS")
		slices.Sort(known)
		known = slices.Compact(known)
		allow := strings.Join(known, ", ")
		if got := asks(t, s, "", "OPTIONS", path, ""); got.status != 204 || got.Get("Allow") != allow {
			t.Errorf("OPTIONS %s: %d, Allow: %s, want %s", path, got.status, got.Get("Allow"), allow)
		}
		for _, method := range []string{"PATCH", "TRACE", "DELETE", "PUT"} {
			if slices.Contains(known, method) {
				continue
			}
			if got := asks(t, s, marta.Token, method, path, ""); got.status != 405 || got.Get("Allow") != allow {
				t.Errorf("%s %s: %d, Allow: %s", method, path, got.status, got.Get("Allow"))
			}
		}
		if got := asks(t, s, "", known[0], path, ""); got.status == 401 && !strings.HasPrefix(got.Get("WWW-Authenticate"), "Bearer ") {
			t.Errorf("%s %s: 401 without WWW-Authenticate", known[0], path)
		}
		if !slices.Contains(known, "GET") {
			continue
		}
		get, head := asks(t, s, marta.Token, "GET", path, ""), asks(t, s, marta.Token, "HEAD", path, "")
		if get.status != head.status || len(head.body) > 0 || get.Get("Content-Type") != head.Get("Content-Type") {
			t.Errorf("HEAD %s: %d, %d bytes of %s; GET: %d, %s", path, head.status, len(head.body), head.Get("Content-Type"), get.status, get.Get("Content-Type"))
		}
	}
	for what, x := range map[string]struct {
		got  says
		want int
		kind string
	}{
		"nothing there":         {asks(t, s, marta.Token, "OPTIONS", "/nothing/like/it", ""), 404, "not-found"},
		"nothing that it takes": {asks(t, s, marta.Token, "GET", "/users", "", "Accept", "text/plain"), 406, "not-supported"},
		"a CSV that takes JSON": {asks(t, s, marta.Token, "GET", "/users.csv", "", "Accept", "application/json"), 406, "not-supported"},
		"anything":              {asks(t, s, marta.Token, "GET", "/users.csv", "", "Accept", "text/html, */*;q=0.1"), 200, ""},
		"JSON":                  {asks(t, s, marta.Token, "GET", "/users", "", "Accept", "application/json"), 200, ""},
		"some text":             {asks(t, s, marta.Token, "POST", "/changes", "{}", "Content-Type", "text/plain"), 415, "not-supported"},
		"a token that is none":  {asks(t, s, "nonsense", "GET", "/users", ""), 401, "not-signed-in"},
		"a name given twice":    {asks(t, s, marta.Token, "POST", "/changes?dry_run=true", `{"reason":"x","reason":"y","operations":[]}`), 422, "invalid"},
		"twice in an operation": {asks(t, s, marta.Token, "POST", "/changes?dry_run=true", `{"reason":"x","operations":[{"op":"add_group","key":"a","key":"b"}]}`), 422, "invalid"},
		"twice in a check":      {asks(t, s, marta.Token, "POST", "/check", `{"user":"b.osei","user":"ines.halloran","application":"tide-board","action":"read","path":"tides"}`), 422, "invalid"},
	} {
		p := &wire.Problem{}
		if x.kind != "" {
			if err := json.Unmarshal(x.got.body, p); err != nil || x.got.Get("Content-Type") != "application/problem+json" {
				t.Errorf("%s: %s %v", what, x.got.body, err)
			}
		}
		if x.got.status != x.want || p.Type != x.kind {
			t.Errorf("%s: %d %.200s", what, x.got.status, x.got.body)
		}
	}
	if got := asks(t, s, "nonsense", "GET", "/users", ""); got.Get("WWW-Authenticate") != `Bearer realm="able-roster", error="invalid_token"` {
		t.Error(got.Get("WWW-Authenticate"))
	}
}

// An answer has a tag of what it tells the caller: it is the same while they would be told the
// same, whatever else moves, and another once they would not. Whoever has it is sent nothing.
func TestTagsAreOfWhatTheCallerIsTold(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	tag := func(token, path string) string {
		t.Helper()
		got := asks(t, s, token, "GET", path, "")
		if got.status != 200 || got.Get("ETag") == "" {
			t.Fatalf("%s: %d, ETag %s", path, got.status, got.Get("ETag"))
		}
		return got.Get("ETag")
	}
	paths := []string{"/users?unit=marine", "/users/ines.halloran/access", "/groups/pilots", "/roles/berth-planning%2Freader", "/me/access", "/views", "/catalogue"}
	before := map[string]string{}
	for _, p := range paths {
		before[p] = tag(tomas.Token, p)
		if got := asks(t, s, tomas.Token, "GET", p, "", "If-None-Match", `"x", `+before[p]); got.status != 304 || len(got.body) > 0 || got.Get("ETag") != before[p] {
			t.Errorf("%s, which one has: %d, %d bytes", p, got.status, len(got.body))
		}
		if got := asks(t, s, tomas.Token, "GET", p, "", "If-None-Match", `"x"`); got.status != 200 {
			t.Errorf("%s, of which one has another: %d", p, got.status)
		}
	}
	// Outside his part something moves; then inside.
	if _, err := marta.Change(ctx, changeOf("x", grantTo(demo.Auditor, "tariff-ledger/reader")), false); err != nil {
		t.Fatal(err)
	}
	for _, p := range paths {
		if now := tag(tomas.Token, p); now != before[p] {
			t.Errorf("%s tells of what moved elsewhere: %s, then %s", p, before[p], now)
		}
	}
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","title":"Senior pilot"}`), false); err != nil {
		t.Fatal(err)
	}
	if now := tag(tomas.Token, paths[0]); now == before[paths[0]] {
		t.Error("the tag of the users is the same after one has changed")
	}
}

// What was seen is replaced as it was seen, or not at all; of several at once one wins.
func TestNothingIsOverwrittenUnseen(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	body := func(label string) string { return fmt.Sprintf(`{"label":%q,"search":{"filter":"title pr"}}`, label) }
	put := func(label string, headers ...string) int {
		t.Helper()
		got := asks(t, s, marta.Token, "PUT", "/views/crews", body(label), headers...)
		p := &wire.Problem{}
		if got.status >= 400 && (json.Unmarshal(got.body, p) != nil || p.Status != got.status) {
			t.Errorf("%s", got.body)
		}
		return got.status
	}
	if got := put("One", "If-Match", `"x"`); got != 412 {
		t.Errorf("in the place of what is not there: %d", got)
	}
	if got := put("One", "If-None-Match", "*"); got != 204 {
		t.Errorf("where there is none yet: %d", got)
	}
	if got := put("Two", "If-None-Match", "*"); got != 412 {
		t.Errorf("where there is one: %d", got)
	}
	seen := asks(t, s, marta.Token, "GET", "/views/crews", "").Get("ETag")
	if strings.HasPrefix(seen, "W/") {
		t.Errorf("%s can never match", seen)
	}
	codes := make(chan int)
	for i := range 8 {
		go func() { codes <- put(fmt.Sprint("Hand ", i), "If-Match", seen) }()
	}
	won := 0
	for range 8 {
		switch got := <-codes; got {
		case 204:
			won++
		case 412:
		default:
			t.Errorf("%d", got)
		}
	}
	if won != 1 {
		t.Errorf("%d of 8 replaced what all of them had seen", won)
	}
	if got := asks(t, s, marta.Token, "DELETE", "/views/crews", "", "If-Match", seen); got.status != 412 {
		t.Errorf("removed as it was before: %d", got.status)
	}
	now := asks(t, s, marta.Token, "GET", "/views/crews", "").Get("ETag")
	if got := asks(t, s, marta.Token, "DELETE", "/views/crews", "", "If-Match", now); got.status != 204 {
		t.Errorf("removed as it is: %d %s", got.status, got.body)
	}
	m := `{"label":"Uids","mapping":{"columns":[{"column":"user_name","from":["Uid"]}]}}`
	if got := asks(t, s, marta.Token, "PUT", "/mappings/uids", m, "If-None-Match", "*"); got.status != 204 {
		t.Errorf("%d %s", got.status, got.body)
	}
	if got := asks(t, s, marta.Token, "PUT", "/mappings/uids", m, "If-Match", `"x"`); got.status != 412 {
		t.Errorf("%d %s", got.status, got.body)
	}
}

// Answers are packed for whoever takes them so, and say the same; but for those with a secret.
func TestAnswersArePacked(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	for path, packed := range map[string]bool{"/users?limit=200": true, "/openapi.json": true, "/users.csv": true, "/roster-file": true, "/files/groups?format=csv": true, "/ledger/head": false, "/tokens": false} {
		plain := asks(t, s, marta.Token, "GET", path, "")
		got := asks(t, s, marta.Token, "GET", path, "", "Accept-Encoding", "gzip")
		if got.status != 200 || (got.Get("Content-Encoding") == "gzip") != packed || packed && !strings.Contains(got.Get("Vary"), "Accept-Encoding") {
			t.Errorf("%s: %d, Content-Encoding: %s, Vary: %s", path, got.status, got.Get("Content-Encoding"), got.Get("Vary"))
			continue
		}
		if !packed {
			continue
		}
		z, err := gzip.NewReader(bytes.NewReader(got.body))
		if err != nil {
			t.Fatal(err)
		}
		raw, err := io.ReadAll(z)
		if err != nil || max(len(raw), len(plain.body))-min(len(raw), len(plain.body)) > 10 || // an instant is longer or shorter
			len(got.body) > len(raw)/2 {
			t.Errorf("%s: %d bytes, packed %d, unpacked %d (%v)", path, len(plain.body), len(got.body), len(raw), err)
		}
	}
	if got := asks(t, s, marta.Token, "GET", "/users?limit=200", "", "Accept-Encoding", "br;q=1, gzip;q=0.5"); got.Get("Content-Encoding") != "br" {
		t.Errorf("br: %s", got.Get("Content-Encoding"))
	}
	doc := asks(t, s, "", "GET", "/openapi.json", "", "Accept-Encoding", "gzip")
	if again := asks(t, s, "", "GET", "/openapi.json", "", "Accept-Encoding", "gzip", "If-None-Match", doc.Get("ETag")); again.status != 304 || !strings.Contains(again.Get("Cache-Control"), "max-age") {
		t.Errorf("the document, which one has: %d, %s", again.status, again.Get("Cache-Control"))
	}
	if got := asks(t, s, marta.Token, "GET", "/users", ""); !strings.Contains(got.Get("Server-Timing"), "total;dur=") || got.Get("X-Request-Id") == "" || got.Get("Cache-Control") != "no-store" {
		t.Errorf("Server-Timing: %s, X-Request-Id: %s, Cache-Control: %s", got.Get("Server-Timing"), got.Get("X-Request-Id"), got.Get("Cache-Control"))
	}
	if got := asks(t, s, s.SignIn(t, demo.Manager).Token, "GET", "/users", ""); got.Get("Server-Timing") != "" {
		t.Error("how long it took is told to somebody who sees a part")
	}
}

// What was made is told again to whoever asks again under the key, in the words of now; another
// change under it is refused, and so is a key that is blank.
func TestAChangeAskedForAgainIsAnsweredAsTheFirst(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	change := `{"reason":"Season","operations":[{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick"},{"op":"grant","user":"zoe.marrick","role":"tide-board/editor"}]}`
	post := func(body string, headers ...string) (says, wire.ChangeResult) {
		t.Helper()
		got := asks(t, s, marta.Token, "POST", "/changes", body, headers...)
		var out wire.ChangeResult
		if got.status == 200 {
			if err := json.Unmarshal(got.body, &out); err != nil {
				t.Fatal(err)
			}
		}
		return got, out
	}
	first, a := post(change, "Idempotency-Key", "k-1")
	second, b := post(change, "Idempotency-Key", "k-1")
	if first.status != 200 || second.status != 200 || a.Revision != b.Revision || a.Repeated || !b.Repeated || !slices.Equal(a.Sentences, b.Sentences) || len(a.Made) != 2 || !slices.Equal(a.Made, b.Made) {
		t.Errorf("%s\nthen %s", first.body, second.body)
	}
	if got, _ := post(strings.Replace(change, "Season", "Other", 1), "Idempotency-Key", "k-1"); got.status != 422 || !bytes.Contains(got.body, []byte("idempotency-key-reused")) {
		t.Errorf("another change: %d %s", got.status, got.body)
	}
	if got, _ := post(change, "Idempotency-Key", ""); got.status != 422 || !bytes.Contains(got.body, []byte("Idempotency-Key")) {
		t.Errorf("a blank key: %d %s", got.status, got.body)
	}
	// Her name has changed since: the answer says it as it is.
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"zoe.marrick","display_name":"Zoë Marrick-Osei"}`), false); err != nil {
		t.Fatal(err)
	}
	if _, c := post(change, "Idempotency-Key", "k-1"); !strings.Contains(strings.Join(c.Sentences, " "), "Zoë Marrick-Osei") || c.Revision != a.Revision {
		t.Errorf("%+v", c)
	}
	file := "user_name,display_name\nlena.marrick,Lena Marrick\n"
	send := func() wire.ChangeResult {
		t.Helper()
		got := asks(t, s, marta.Token, "POST", "/imports/users?reason=Season", file, "Content-Type", "text/csv", "Idempotency-Key", "k-2")
		var out wire.ChangeResult
		if got.status != 200 || json.Unmarshal(got.body, &out) != nil {
			t.Fatalf("%d %s", got.status, got.body)
		}
		return out
	}
	if x, y := send(), send(); x.Revision != y.Revision || x.Repeated || !y.Repeated {
		t.Errorf("an import: %+v, then %+v", x, y)
	}
}

// Two exports of one day are the same bytes.
func TestExportsOfADayAreTheSame(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	paths := []string{"/users.csv", "/groups.csv", "/memberships.csv", "/assignments.csv", "/roster-file", "/files/users?format=csv", "/files/groups?format=csv", "/files/roles?format=csv", "/files/applications?format=csv", "/files/users?format=xlsx", "/files/assignments?format=xlsx", "/grid.csv?application=berth-planning",
		"/files/expectations?format=csv", "/files/findings?format=csv"}
	first := map[string][]byte{}
	for _, p := range paths {
		first[p] = asks(t, s, marta.Token, "GET", p, "").body
	}
	testkit.Until(t, "a second to pass", func() bool { return time.Now().Nanosecond() < 20e6 })
	for _, p := range paths {
		if again := asks(t, s, marta.Token, "GET", p, ""); again.status != 200 || !bytes.Equal(again.body, first[p]) {
			t.Errorf("%s: %d, and other bytes", p, again.status)
		}
	}
}

// The addresses of the console's pages are those of its router; any other is told as not there.
func TestTheServiceKnowsThePagesOfTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	source, err := os.ReadFile(filepath.Join(testkit.Root(), "console", "src", "router.tsx"))
	if err != nil {
		t.Fatal(err)
	}
	known := 0
	want := map[string]int{"/nothing": 404, "/nothing/shares": 404, "/pages": 404, "/index.html": 200}
	for _, m := range regexp.MustCompile(`\bpath: '(/[^']*)'`).FindAllStringSubmatch(string(source), -1) {
		want[strings.ReplaceAll(m[1], "$", "")] = 200
		known++
	}
	if known < 40 {
		t.Fatalf("%d pages", known)
	}
	for path, status := range want {
		res, err := http.Get(s.Base + path)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != status || !strings.HasPrefix(res.Header.Get("Content-Type"), "text/html") {
			t.Errorf("%s: %d %s", path, res.StatusCode, res.Header.Get("Content-Type"))
		}
	}
}
