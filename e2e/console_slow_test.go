package e2e

import (
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
)

// What is loaded first is little: scripts as they are packed, of whoever has nothing of them yet. A
// page that is opened by its address loads its own beside.
func TestTheFirstLoadIsSmall(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	const packed = `performance.getEntriesByType("resource").filter((r) => new URL(r.name).pathname.endsWith(".js")).reduce((n, r) => n + r.encodedBodySize, 0)`
	for path, x := range map[string]struct {
		sees string
		most int
	}{"/today": {"to decide", 200_000}, "/users": {"327 users", 260_000}, "/users/" + demo.Pilot: {"entitlements", 260_000}, "/my-access": {"entitlements", 260_000}} {
		b := signedIn(t, s, demo.Administrator) // a browser of its own
		b.Go(path)
		b.Sees(x.sees)
		var bytes int
		b.Eval(packed, &bytes)
		t.Logf("%s: %d bytes of script", path, bytes)
		if bytes == 0 || bytes > x.most {
			t.Errorf("%s loads %d bytes of script, and %d at most are meant", path, bytes, x.most)
		}
	}
}

// On the line of a telephone the console works, and says what it waits for.
func TestASlowLineIsSaid(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.Slow(1600, 150)
	took := func(what string, began time.Time) { t.Logf("%s: %d ms", what, time.Since(began).Milliseconds()) }
	began := time.Now()
	b.Go("/today")
	b.Sees("Password")
	took("signing in, nothing kept", began)
	b.SignIn(demo.Administrator, demo.Password)
	b.Sees("to decide")
	// What is shown while a page is waited for is noted as it changes.
	b.Before(`window.waited = []; new MutationObserver(() => { const w = /Reading [^…]*…|Loading [^…]*…|Working/.exec(document.body.innerText); if (w) window.waited.push(w[0]) }).observe(document, { childList: true, subtree: true })`)
	for _, x := range []struct{ path, sees string }{{"/users/" + demo.Pilot, "entitlements"}, {"/roles", "As a tree"}, {"/ledger", "What, and why"}} {
		began := time.Now()
		b.Go(x.path)
		b.Sees(x.sees)
		took(x.path, began)
		var waited int
		b.Eval("window.waited.length", &waited)
		if waited == 0 {
			t.Errorf("%s does not say what it waits for", x.path)
		}
	}
	began = time.Now()
	b.Press("Groups")
	b.Sees("Members of a group hold")
	took("the next page", began)
}
