package api

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"runtime"
	"strings"
	"testing"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// listening serves on loopback, for what only a connection shows.
func listening(t *testing.T, o serve.Options) (*testServer, string) {
	t.Helper()
	s := serving(t, o)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = s.App.Listener(l, fiber.ListenConfig{DisableStartupMessage: true}) }()
	t.Cleanup(func() { _ = s.App.Shutdown() })
	return s, l.Addr().String()
}

// raw sends bytes as they are and reads one answer; closed says whether the connection
// was closed after it.
func raw(t *testing.T, address, request string) (status int, closed bool) {
	t.Helper()
	conn, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	_ = conn.SetDeadline(time.Now().Add(30 * time.Second))
	if _, err := io.WriteString(conn, request); err != nil {
		t.Fatal(err)
	}
	r := bufio.NewReader(conn)
	resp, err := http.ReadResponse(r, nil)
	if err != nil {
		return 0, true
	}
	_, _ = io.Copy(io.Discard, resp.Body)
	return resp.StatusCode, resp.Close
}

// A request that two programs could read as two different ones is refused, and nothing
// that follows it on the connection is read.
func TestRequestsThatCouldBeReadInTwoWaysAreRefused(t *testing.T) {
	_, address := listening(t, serve.Options{})
	const end = "\r\n\r\n"
	for name, request := range map[string]string{
		"two lengths":              "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: 2\r\nContent-Length: 2" + end + "{}",
		"a length and chunks":      "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\nTransfer-Encoding: chunked" + end + "0" + end,
		"two encodings":            "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\nTransfer-Encoding: identity" + end + "0" + end,
		"two hosts":                "GET /livez HTTP/1.1\r\nHost: x\r\nHost: y" + end,
		"no host":                  "GET /livez HTTP/1.1\r\nAccept: */*" + end,
		"a space before the colon": "GET /livez HTTP/1.1\r\nHost: x\r\nContent-Length : 0" + end,
	} {
		status, closed := raw(t, address, request)
		if status != 400 && status != 0 || !closed {
			t.Errorf("%s: %d, closed %v", name, status, closed)
		}
	}
	if status, closed := raw(t, address, "GET /livez HTTP/1.1\r\nHost: x"+end); status != 200 || closed {
		t.Errorf("a plain request: %d, closed %v", status, closed)
	}
}

// Bodies are refused before they are read: what is too large for whoever sends it, and
// whatever is compressed, which a few bytes could make a gigabyte.
func TestBodiesAreBoundedBeforeAnythingElse(t *testing.T) {
	s, address := listening(t, serve.Options{})
	cookie := s.setUp(t)
	zeros := bytes.Repeat([]byte{0}, 10<<20)
	for range 3 {
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		_, _ = w.Write(zeros)
		_ = w.Close()
		zeros = b.Bytes()
	}
	begun := strings.Repeat("x", 16<<10) // of a body that is longer
	post := func(path, cookie, encoding string, length int, body string) string {
		head := fmt.Sprintf("POST %s HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: %d\r\n", path, length)
		if cookie != "" {
			head += "Cookie: " + cookie + "\r\n"
		}
		if encoding != "" {
			head += "Content-Encoding: " + encoding + "\r\n"
		}
		return head + "\r\n" + body
	}
	for name, x := range map[string]struct {
		request string
		want    int
	}{
		"compressed three times":          {post("/api/v1/session", "", "gzip, gzip, gzip", len(zeros), string(zeros)), 415},
		"compressed, by somebody known":   {post("/api/v1/check", cookie, "gzip", len(zeros), string(zeros)), 415},
		"too large from nobody":           {post("/api/v1/session", "", "", serve.UnknownBody+1, begun), 413},
		"a file from nobody":              {post("/api/v1/imports/users", "", "", 31<<20, begun), 401},
		"too large for a change":          {post("/api/v1/changes", cookie, "", serve.ChangeBody+1, begun), 413},
		"too large for a file":            {post("/api/v1/imports/users", cookie, "", serve.FileBody+1, begun), 413},
		"chunks without end, from nobody": {"POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n" + strings.Repeat("8000\r\n"+strings.Repeat("x", 0x8000)+"\r\n", 3), 413},
	} {
		status, closed := raw(t, address, x.request)
		if status != x.want || !closed && x.want == 413 {
			t.Errorf("%s: %d, closed %v", name, status, closed)
		}
	}
	if status, _ := raw(t, address, post("/api/v1/changes?dry_run=true", cookie, "", 60, fmt.Sprintf("%-60s", `{"operations":[{"op":"add_group","key":"x"}]}`))); status != 200 {
		t.Errorf("a small change: %d", status)
	}
}

// Somebody who may change nothing holds no memory with files, however many connections
// send them.
func TestAFileFromSomebodyWhoMayNotIsNotRead(t *testing.T) {
	s, address := listening(t, serve.Options{})
	cookie := s.setUp(t)
	add := `{"reason":"x","operations":[{"op":"add_user","user_name":"ines.halloran","display_name":"Inês Halloran"}]}`
	if resp, body := s.call(t, "POST", "/api/v1/changes", add, "Cookie", cookie); resp.StatusCode != 200 {
		t.Fatal(body)
	}
	resp, body := s.call(t, "POST", "/api/v1/users/ines.halloran/sign-in-link", "", "Cookie", cookie)
	var link wire.SignInLink
	if err := json.Unmarshal([]byte(body), &link); err != nil || resp.StatusCode != 201 {
		t.Fatal(body)
	}
	_, code, _ := strings.Cut(link.Path, "#")
	resp, body = s.call(t, "POST", "/api/v1/sign-in-link", fmt.Sprintf(`{"link":%q,"password":"a rope of tides"}`, code))
	if resp.StatusCode != 200 {
		t.Fatal(body)
	}
	ines := resp.Cookies()[0].Name + "=" + resp.Cookies()[0].Value
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	for range 10 {
		conn, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		fmt.Fprintf(conn, "POST /api/v1/imports/users?reason=x HTTP/1.1\r\nHost: x\r\nCookie: %s\r\nContent-Type: text/csv\r\nContent-Length: %d\r\n\r\n%s", ines, 31<<20, strings.Repeat("x", 16<<10))
		_ = conn.SetDeadline(time.Now().Add(30 * time.Second))
		resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil || resp.StatusCode != 403 || !resp.Close {
			t.Fatalf("%v %+v", err, resp)
		}
	}
	runtime.ReadMemStats(&after)
	if grown := int64(after.HeapAlloc) - int64(before.HeapAlloc); grown > 16<<20 {
		t.Errorf("ten refused files hold %d MB", grown>>20)
	}
}

// Only a trusted proxy's word on where a call came from is taken, and only as far as
// trusted ones stand in a row.
func TestWhereACallComesFrom(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	loopback := []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32"), netip.MustParsePrefix("10.0.0.0/8")}
	for _, x := range []struct {
		proxies         []netip.Prefix
		forwarded, want string
	}{
		{nil, "203.0.113.7", "127.0.0.1"},
		{loopback, "", "127.0.0.1"},
		{loopback, "203.0.113.7", "203.0.113.7"},
		{loopback, "198.51.100.1, 203.0.113.7", "203.0.113.7"},           // what the caller wrote is hearsay
		{loopback, "198.51.100.1, 203.0.113.7, 10.1.2.3", "203.0.113.7"}, // two proxies in a row
		{loopback, "203.0.113.7, nonsense, 10.1.2.3", "10.1.2.3"},        // nothing before nonsense counts
		{loopback, "::ffff:203.0.113.7", "203.0.113.7"},                  // one address, one way of writing it
		{loopback, strings.Repeat("10.0.0.1, ", 300) + "203.0.113.7", "203.0.113.7"},
	} {
		s, address := listening(t, serve.Options{Proxies: x.proxies})
		cookie := s.setUp(t)
		req, _ := http.NewRequest("POST", "http://"+address+"/api/v1/session", strings.NewReader(`{"user_name":"marta.quill","password":"wrong"}`))
		req.Header.Set("Content-Type", "application/json")
		if x.forwarded != "" {
			req.Header.Set("X-Forwarded-For", x.forwarded)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		_, body := s.call(t, "GET", "/api/v1/security-log?limit=1", "", "Cookie", cookie)
		var log wire.SecurityLog
		if err := json.Unmarshal([]byte(body), &log); err != nil || len(log.Events) != 1 || log.Events[0].Address != x.want {
			t.Errorf("%q: %s", x.forwarded, body)
		}
	}
}

// A foreign Origin is refused whatever the browser says of the site; over TLS cookies
// are this host's alone, and signing out clears what was kept.
func TestWhatBrowsersAreHeldTo(t *testing.T) {
	s := serving(t, serve.Options{Secure: true})
	s.setUp(t)
	const body = `{"user_name": "marta.quill", "password": "a tide of ropes"}`
	resp, text := s.call(t, "POST", "/api/v1/session", body, "Origin", "https://elsewhere.example", "Sec-Fetch-Site", "same-origin")
	if resp.StatusCode != 403 {
		t.Errorf("a foreign origin: %d %s", resp.StatusCode, text)
	}
	resp, text = s.call(t, "POST", "/api/v1/session", body)
	if resp.StatusCode != 200 || len(resp.Cookies()) != 2 {
		t.Fatalf("%d %s", resp.StatusCode, text)
	}
	for _, c := range resp.Cookies() {
		if !strings.HasPrefix(c.Name, "__Host-") || !c.Secure || !c.HttpOnly || c.Path != "/" || c.Domain != "" {
			t.Errorf("%+v", c)
		}
	}
	session := resp.Cookies()[0]
	resp, _ = s.call(t, "DELETE", "/api/v1/session", "", "Cookie", session.Name+"="+session.Value)
	if resp.Header.Get("Clear-Site-Data") == "" {
		t.Error("signing out clears nothing")
	}
	for _, name := range []string{"user-1", strings.Repeat("x", 1<<15)} { // neither is a name to sign in with
		resp, text := s.call(t, "POST", "/api/v1/session", fmt.Sprintf(`{"user_name": %q, "password": "a tide of ropes"}`, name))
		if resp.StatusCode != 401 {
			t.Errorf("%.20s: %d %s", name, resp.StatusCode, text)
		}
	}
}
