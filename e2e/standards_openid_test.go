package e2e

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// harbour is the identity provider of the demo, and a service that people sign in to by it.
type harbour struct {
	t        *testing.T
	provider *testkit.Service
	service  *testkit.Service
}

// newHarbour starts both; settings are of the provider, beside its key and issuer.
func newHarbour(t *testing.T, database string, settings m) *harbour {
	t.Helper()
	p := testkit.Serving(t, exec.Command(testkit.Program(t, "harbourid"), "-listen", "127.0.0.1:0", "-people",
		"ines.halloran=Inês Halloran,tomas.brandt=Tomas Brandt,marta.quill=Marta Quill,a.stranger=A Stranger"), regexp.MustCompile(`serves on (http://\S+)`))
	of := m{"key": "harbour-id", "label": "Harbour ID", "issuer": p.Base, "client_id": "able-roster", "private": true}
	for k, v := range settings {
		of[k] = v
	}
	file := filepath.Join(t.TempDir(), "providers.json")
	write(t, file, asText([]m{of}))
	return &harbour{t, p, testkit.Serve(t, database, "-identity-providers", file)}
}

// behaves has the provider do something wrong, or nothing.
func (h *harbour) behaves(as string) {
	h.t.Helper()
	r, err := http.PostForm(h.provider.Base+"/behave", url.Values{"as": {as}})
	if err != nil {
		h.t.Fatal(err)
	}
	r.Body.Close()
}

// browser is somebody's browser, without the pages.
type browser struct {
	h *harbour
	*http.Client
}

func (h *harbour) browser() *browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		h.t.Fatal(err)
	}
	return &browser{h, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
}

// call calls the service as its page does.
func (b *browser) call(method, path string, body any) (status int, answer map[string]any) {
	b.h.t.Helper()
	var in io.Reader
	if body != nil {
		in = strings.NewReader(asText(body))
	}
	r, err := http.NewRequestWithContext(ctx, method, b.h.service.Base+"/api/v1"+path, in)
	if err != nil {
		b.h.t.Fatal(err)
	}
	r.Header.Set("Origin", b.h.service.Base)
	if in != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	got, err := b.Do(r)
	if err != nil {
		b.h.t.Fatal(err)
	}
	defer got.Body.Close()
	raw, err := io.ReadAll(got.Body)
	if err != nil {
		b.h.t.Fatal(err)
	}
	if len(raw) > 0 {
		if err := json.Unmarshal(raw, &answer); err != nil {
			b.h.t.Fatalf("%s %s: %s", method, path, raw)
		}
	}
	if at := got.Header.Get("Roster-Sign-Out-At"); at != "" {
		answer = m{"at": at}
	}
	return got.StatusCode, answer
}

// goes begins at the service, says who one is at the provider, and is what comes back with.
func (b *browser) goes(person string, factor bool) m {
	b.h.t.Helper()
	status, begun := b.call("POST", "/session/provider-flow", m{"provider": "harbour-id"})
	if status != 201 {
		b.h.t.Fatalf("%d %v", status, begun)
	}
	return b.says(begun["address"].(string), person, factor)
}

func (b *browser) says(address, person string, factor bool) m {
	b.h.t.Helper()
	form := url.Values{"person": {person}}
	if factor {
		form.Set("factor", "yes")
	}
	r, err := b.PostForm(address, form)
	if err != nil {
		b.h.t.Fatal(err)
	}
	r.Body.Close()
	to, err := r.Location()
	if err != nil {
		b.h.t.Fatal(err)
	}
	out := m{}
	for k := range to.Query() {
		out[k] = to.Query().Get(k)
	}
	return out
}

// Somebody signs in by an identity provider: they are matched by the chosen claim once, and known
// by their account from then on; who is nobody here is not let in; a second factor that the
// provider proved counts, and without one it is asked for here; they sign out from both sides.
func TestPeopleSignInByAnIdentityProvider(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), nil)
	b := h.browser()
	if status, all := b.call("GET", "/session/providers", nil); status != 200 || asText(all) != `{"providers":[{"key":"harbour-id","label":"Harbour ID"}]}` {
		t.Fatalf("%d %v", status, all)
	}
	came := b.goes("ines.halloran", false)
	status, me := b.call("POST", "/session/provider", came)
	if status != 200 || me["user"].(m)["key"] != demo.Pilot {
		t.Fatalf("%d %v", status, me)
	}
	if status, again := h.browser().call("POST", "/session/provider", came); status != 401 || !strings.Contains(again["detail"].(string), "begin again") {
		t.Errorf("what one came back with is taken twice: %d %v", status, again)
	}
	if _, own := b.call("GET", "/me/providers", nil); !strings.Contains(asText(own), `"subject":"account-ines.halloran"`) {
		t.Errorf("%v", own)
	}
	// From this side: the session ends, and it is said where one signs out there.
	if status, out := b.call("DELETE", "/session", nil); status != 204 || !strings.HasPrefix(out["at"].(string), h.provider.Base+"/sign-out?client_id=able-roster&post_logout_redirect_uri=") {
		t.Errorf("%d %v", status, out)
	}
	// From that side: every session of theirs by way of it ends, and no other.
	two := []*browser{h.browser(), h.browser()}
	for _, x := range two {
		if status, out := x.call("POST", "/session/provider", x.goes("ines.halloran", false)); status != 200 {
			t.Fatal(status, out)
		}
	}
	local := h.browser()
	if status, out := local.call("POST", "/session", m{"user_name": demo.Pilot, "password": demo.Password}); status != 200 {
		t.Fatal(status, out)
	}
	page, err := http.Get(h.provider.Base + "/")
	if err != nil {
		t.Fatal(err)
	}
	raw, err := io.ReadAll(page.Body)
	page.Body.Close()
	ids := regexp.MustCompile(`/sessions/([\w-]+)/end`).FindAllStringSubmatch(string(raw), -1)
	if err != nil || len(ids) != 3 {
		t.Fatalf("%d %v\n%s", len(ids), err, raw)
	}
	if r, err := http.PostForm(h.provider.Base+"/sessions/"+ids[1][1]+"/end", nil); err != nil || r.StatusCode != 200 {
		t.Fatalf("%v %v", r, err)
	}
	for i, want := range []int{401, 200} {
		if status, _ := two[i].call("GET", "/me", nil); status != want {
			t.Errorf("session %d: %d, want %d", i, status, want)
		}
	}
	if status, _ := local.call("GET", "/me", nil); status != 200 {
		t.Errorf("a session by password: %d", status)
	}
	// Nobody here; cancelled there; no such provider.
	if status, out := b.call("POST", "/session/provider", b.goes("a.stranger", true)); status != 401 || !strings.Contains(out["detail"].(string), "linked to nobody here") {
		t.Errorf("%d %v", status, out)
	}
	if status, out := b.call("POST", "/session/provider", b.goes("", false)); status != 401 || !strings.Contains(out["detail"].(string), "it was cancelled") {
		t.Errorf("%d %v", status, out)
	}
	if status, _ := b.call("POST", "/session/provider-flow", m{"provider": "pier-id"}); status != 404 {
		t.Errorf("%d", status)
	}
	// In another browser than the one it began in.
	came = b.goes("ines.halloran", false)
	if status, _ := h.browser().call("POST", "/session/provider", came); status != 401 {
		t.Errorf("in another browser: %d", status)
	}
	// Who may not sign in now is not let in, whatever the provider says; nor who is suspended later.
	marta := h.service.SignIn(t, demo.Administrator)
	one := h.browser()
	if status, _ := one.call("POST", "/session/provider", one.goes("tomas.brandt", false)); status != 200 {
		t.Fatal(status)
	}
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"tomas.brandt","status":"suspended"}`), false); err != nil {
		t.Fatal(err)
	}
	if status, _ := one.call("GET", "/me", nil); status != 401 {
		t.Errorf("suspended: %d", status)
	}
	if status, out := one.call("POST", "/session/provider", one.goes("tomas.brandt", false)); status != 401 || !strings.Contains(out["detail"].(string), "cannot sign in here now") {
		t.Errorf("%d %v", status, out)
	}
	// All of it stands in the security log.
	var log wire.SecurityLog
	if err := marta.Do(ctx, "GET", "/security-log", nil, nil, &log); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"identity provider linked", "signed in by an identity provider", "session ended by its identity provider", "account at an identity provider not known here"} {
		if !strings.Contains(asText(log), want) {
			t.Errorf("the security log does not say %q", want)
		}
	}
}

// What an identity provider says wrongly lets nobody in; one that is away is said to be, and comes
// back by itself; keys may change at any time.
func TestAnIdentityProviderThatIsWrongLetsNobodyIn(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), nil)
	b := h.browser()
	try := func() (int, m) { return b.call("POST", "/session/provider", b.goes("ines.halloran", true)) }
	if status, out := try(); status != 200 {
		t.Fatalf("%d %v", status, out)
	}
	for _, wrong := range []string{"wrong key", "expired", "another audience", "another issuer", "another nonce"} {
		h.behaves(wrong)
		if status, out := try(); status != 401 || !strings.Contains(out["detail"].(string), "does not prove who you are") {
			t.Errorf("%s: %d %v", wrong, status, out)
		}
	}
	h.behaves("")
	if r, err := http.PostForm(h.provider.Base+"/key", nil); err != nil {
		t.Fatal(r, err)
	}
	if status, out := try(); status != 200 {
		t.Errorf("with another key: %d %v", status, out)
	}
	// A code is not taken with a changed one, nor from another issuer.
	came := b.goes("ines.halloran", true)
	came["iss"] = "http://127.0.0.1:1"
	if status, _ := b.call("POST", "/session/provider", came); status != 401 {
		t.Errorf("from another issuer: %d", status)
	}
	came = b.goes("ines.halloran", true)
	came["code"] = "guessed"
	if status, _ := b.call("POST", "/session/provider", came); status != 401 {
		t.Errorf("with another code: %d", status)
	}
	came = b.goes("ines.halloran", true)
	h.behaves("away")
	if status, out := b.call("POST", "/session/provider", came); status != 503 || !strings.Contains(out["detail"].(string), "does not answer now") {
		t.Errorf("away: %d %v", status, out)
	}
	if status, _ := b.call("POST", "/session", m{"user_name": demo.Pilot, "password": demo.Password}); status != 200 {
		t.Errorf("local sign-in, meanwhile: %d", status)
	}
	// A token that says somebody signed out is held to the same.
	for _, form := range []string{"", "logout_token=", "logout_token=a.b.c", "logout_token=x&logout_token=y", "logout_token=" + strings.Repeat("x", 70_000)} {
		r, err := http.Post(h.service.Base+"/openid/harbour-id/sign-out", "application/x-www-form-urlencoded", strings.NewReader(form))
		if err != nil {
			continue // cut off, since it was too large
		}
		r.Body.Close()
		if r.StatusCode < 400 || r.StatusCode >= 500 {
			t.Errorf("%.40q: %d", form, r.StatusCode)
		}
	}
}

// A provider that a service knows nothing of yet and that answers wrongly when it is asked what it
// is: with another issuer, by leading elsewhere, without end, or not at all.
func TestAnIdentityProviderIsDiscoveredWithinBounds(t *testing.T) {
	database := testkit.DemoDatabase(t)
	for _, wrong := range []string{"changed issuer", "elsewhere", "endless", "away"} {
		h := newHarbour(t, database, nil)
		h.behaves(wrong)
		b := h.browser()
		if status, out := b.call("POST", "/session/provider-flow", m{"provider": "harbour-id"}); status != 503 {
			t.Errorf("%s: %d %v", wrong, status, out)
		}
		h.behaves("")
		testkit.Until(t, "it to be asked again", func() bool {
			status, _ := b.call("POST", "/session/provider-flow", m{"provider": "harbour-id"})
			return status == 201
		})
	}
	// At a private address, where it is not said to be private.
	h := newHarbour(t, database, m{"private": false, "issuer": "https://127.0.0.1:1"})
	if status, _ := h.browser().call("POST", "/session/provider-flow", m{"provider": "harbour-id"}); status != 503 {
		t.Error(status)
	}
	testkit.Until(t, "it to say that the address is private", func() bool { return strings.Contains(h.service.Output(), "is no public address") })
}

// Who has a second factor here is asked for it, unless the provider proved one.
func TestAProvidersSecondFactorCounts(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), nil)
	ines := h.service.SignIn(t, demo.Pilot)
	var f wire.NewFactor
	if err := ines.Do(ctx, "POST", "/me/second-factor", nil, nil, &f); err != nil {
		t.Fatal(err)
	}
	secret := f.Secret
	if err := ines.Do(ctx, "PUT", "/me/second-factor", nil, wire.CodeRequest{Code: codeOf(t, secret, 0)}, nil); err != nil {
		t.Fatal(err)
	}
	b := h.browser()
	came := b.goes("ines.halloran", false)
	status, out := b.call("POST", "/session/provider", came)
	if status != 401 || out["type"] != "second-factor" {
		t.Fatalf("%d %v", status, out)
	}
	came = m{"state": came["state"], "second_factor": "000000"}
	if status, out := b.call("POST", "/session/provider", came); status != 401 || out["type"] != "second-factor" {
		t.Fatalf("%d %v", status, out)
	}
	came["second_factor"] = codeOf(t, secret, 1)
	if status, out := b.call("POST", "/session/provider", came); status != 200 {
		t.Fatalf("%d %v", status, out)
	}
	other := h.browser()
	if status, out := other.call("POST", "/session/provider", other.goes("ines.halloran", true)); status != 200 {
		t.Fatalf("%d %v", status, out)
	}
}

// One links one's own account by one's password, and unlinks it: what it opened ends. Nobody's
// account is linked twice, nor to somebody else than who began.
func TestOnesOwnAccountIsLinked(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), m{"match": m{"claim": "employee"}}) // matches nobody
	b := h.browser()
	if status, _ := b.call("POST", "/session/provider", b.goes("ines.halloran", true)); status != 401 {
		t.Fatal(status)
	}
	if status, _ := b.call("POST", "/session", m{"user_name": demo.Pilot, "password": demo.Password}); status != 200 {
		t.Fatal(status)
	}
	if status, out := b.call("POST", "/me/providers", m{"provider": "harbour-id", "current_password": "not it, surely"}); status != 422 {
		t.Errorf("%d %v", status, out)
	}
	status, begun := b.call("POST", "/me/providers", m{"provider": "harbour-id", "current_password": demo.Password})
	if status != 201 {
		t.Fatalf("%d %v", status, begun)
	}
	if status, out := b.call("POST", "/session/provider", b.says(begun["address"].(string), "a.stranger", false)); status != 200 {
		t.Fatalf("%d %v", status, out)
	}
	there := h.browser()
	if status, me := there.call("POST", "/session/provider", there.goes("a.stranger", false)); status != 200 || me["user"].(m)["key"] != demo.Pilot {
		t.Fatalf("%d %v", status, me)
	}
	other := h.browser()
	if status, _ := other.call("POST", "/session", m{"user_name": "tomas.brandt", "password": demo.Password}); status != 200 {
		t.Fatal(status)
	}
	_, begun = other.call("POST", "/me/providers", m{"provider": "harbour-id", "current_password": demo.Password})
	if status, out := other.call("POST", "/session/provider", other.says(begun["address"].(string), "a.stranger", false)); status != 409 && status != 403 {
		t.Errorf("an account is linked twice: %d %v", status, out)
	}
	_, own := b.call("GET", "/me/providers", nil)
	links, _ := own["links"].([]any)
	if len(links) != 1 {
		t.Fatal(own)
	}
	link := links[0].(m)
	if status, _ := other.call("DELETE", "/me/providers/"+asText(link["id"]), nil); status != 404 {
		t.Errorf("somebody else's link: %d", status)
	}
	if status, _ := b.call("DELETE", "/me/providers/"+asText(link["id"]), nil); status != 204 {
		t.Error(status)
	}
	if status, _ := there.call("GET", "/me", nil); status != 401 {
		t.Errorf("the session it opened: %d", status)
	}
	if status, _ := b.call("GET", "/me", nil); status != 200 {
		t.Errorf("the session by password: %d", status)
	}
}

// A provider that is trusted for addresses matches by them: one address of one user; who could have
// written it without their rights is nobody by it.
func TestAnAddressMatchesOnlyWhereItIsTrusted(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), m{"trusts_addresses": true, "match": m{"claim": "email", "to": "email"}})
	marta := h.service.SignIn(t, demo.Administrator)
	b := h.browser()
	if status, me := b.call("POST", "/session/provider", b.goes("ines.halloran", false)); status != 200 || me["user"].(m)["key"] != demo.Pilot {
		t.Fatalf("%d %v", status, me)
	}
	// Two with one address are neither.
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"a.wren","email":"tomas.brandt@larkhaven.example"}`), false); err == nil {
		if status, _ := b.call("POST", "/session/provider", b.goes("tomas.brandt", false)); status != 401 {
			t.Errorf("an address of two: %d", status)
		}
	}
	// Tomas may write addresses of the marine unit, not give what Marta may do.
	tomas := h.service.SignIn(t, demo.Manager)
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"add_user","user_name":"lena.marrick","unit":"marine/pilotage","display_name":"Lena Marrick"}`), false); err != nil {
		t.Fatal(err)
	}
	if _, err := tomas.Change(ctx, changeOf("x", `{"op":"update_user","user":"lena.marrick","email":"a.stranger@larkhaven.example"}`), false); err != nil {
		t.Fatal(err)
	}
	stranger := h.browser()
	if status, me := stranger.call("POST", "/session/provider", stranger.goes("a.stranger", false)); status != 200 || me["user"].(m)["key"] != "lena.marrick" {
		t.Fatalf("%d %v", status, me)
	}
	status, token := stranger.call("POST", "/tokens", m{"label": "Kept for later"})
	if status != 201 {
		t.Fatalf("%d %v", status, token)
	}
	kept := h.service.Client(token["secret"].(string))
	if _, err := kept.Me(ctx); err != nil {
		t.Fatal(err)
	}
	// Once she may more than who wrote her address, the link is void, with what it opened and made.
	more := changeOf("x", grantTo("lena.marrick", "access-administrator"))
	more.Acknowledge = []string{"administering_gain", "wide_gain"}
	if _, err := marta.Change(ctx, more, false); err != nil {
		t.Fatal(err)
	}
	if status, _ := stranger.call("GET", "/me", nil); status != 401 {
		t.Errorf("a session of a void link: %d", status)
	}
	if _, err := kept.Me(ctx); err == nil {
		t.Error("a token that was made by way of a void link is good")
	}
	if status, out := stranger.call("POST", "/session/provider", stranger.goes("a.stranger", false)); status != 401 {
		t.Errorf("a void link lets in: %d %v", status, out)
	}
}

// Where people sign in by their provider alone, nothing else lets them in, but those who are named
// for emergencies; others, for whom the provider is not, sign in as before.
func TestWhoSignsInByAProviderAlone(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), m{"alone": true, "emergency": []string{"Tomas.Brandt"}, "units": []string{"marine"}})
	local := func(user string) int {
		t.Helper()
		status, _ := h.browser().call("POST", "/session", m{"user_name": user, "password": demo.Password})
		other, _ := h.browser().call("POST", "/session/token", m{"user_name": user, "password": demo.Password, "label": "x"})
		if status/100 != other/100 {
			t.Errorf("%s: %d, by command line %d", user, status, other)
		}
		return status
	}
	for user, want := range map[string]int{demo.Pilot: 401, demo.Manager: 200, demo.Administrator: 200} {
		if got := local(user); got != want {
			t.Errorf("%s: %d, want %d", user, got, want)
		}
	}
	b := h.browser()
	if status, out := b.call("POST", "/session/provider", b.goes("ines.halloran", false)); status != 200 {
		t.Errorf("%d %v", status, out)
	}
	// A sign-in link is no way around it.
	var link wire.SignInLink
	if err := h.service.SignIn(t, demo.Administrator).Do(ctx, "POST", "/users/"+demo.Pilot+"/sign-in-link", nil, nil, &link); err != nil {
		t.Fatal(err)
	}
	_, code, _ := strings.Cut(link.Path, "#")
	if status, out := h.browser().call("POST", "/sign-in-link", m{"link": code, "password": "seven swans on the slipway"}); status != 403 {
		t.Errorf("%d %v", status, out)
	}
	// Of another unit the provider is not for her.
	if status, out := b.call("POST", "/session/provider", b.goes("marta.quill", false)); status != 401 {
		t.Errorf("%d %v", status, out)
	}
}

// What a provider says of groups becomes an attribute, by which a default rule gives: at the next
// sign-in it is taken back again. It goes no farther than the rights of the account that it is
// written as, and what is refused keeps nobody out.
func TestGroupsOfAProviderGiveByARule(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), m{"writes_as": "harbour-id", "claims": []m{{"claim": "groups", "holds": "pilotage", "attribute": "at_pilotage"}}})
	marta := h.service.SignIn(t, demo.Administrator)
	in := func(person, groups string) {
		t.Helper()
		r, err := http.PostForm(h.provider.Base+"/groups", url.Values{"person": {person}, "groups": {groups}})
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
		b := h.browser()
		if status, me := b.call("POST", "/session/provider", b.goes(person, true)); status != 200 {
			t.Fatalf("%s: %d %v", person, status, me)
		}
	}
	may := func(person string) bool {
		t.Helper()
		got, err := marta.Check(ctx, wire.CheckRequest{User: person, Application: "tariff-ledger", Action: "create", Path: "credits"})
		if err != nil {
			t.Fatal(err)
		}
		return got.Allowed
	}
	untaken := func() int {
		t.Helper()
		log, err := marta.SecurityLog(ctx, nil)
		if err != nil {
			t.Fatal(err)
		}
		return strings.Count(asText(log), "claims of an identity provider not taken over")
	}
	in(demo.Pilot, "pilotage") // nobody writes yet: she signs in all the same
	if n := untaken(); n != 1 {
		t.Errorf("%d lines of the security log", n)
	}
	made := changeOf("Groups of Harbour ID",
		`{"op":"declare_attribute","key":"at_pilotage","label":"In pilotage at Harbour ID","type":"truth"}`,
		`{"op":"add_user","user_name":"harbour-id","display_name":"Harbour ID","kind":"service"}`,
		`{"op":"add_role","key":"harbour-id","label":"Harbour ID"}`,
		`{"op":"add_permission","role":"harbour-id","application":"able-roster","actions":["read","update"],"pattern":"users/marine/pilotage"}`,
		`{"op":"grant","role":"harbour-id","user":"harbour-id"}`,
		`{"op":"add_default","key":"by-harbour-id","filter":"at_pilotage eq true","roles":["tariff-ledger/credit-raiser"]}`)
	made.Acknowledge = []string{"administering_gain"}
	if _, err := marta.Change(ctx, made, false); err != nil {
		var p *wire.Problem
		errors.As(err, &p)
		t.Fatalf("%v %+v", err, p)
	}
	if may(demo.Pilot) {
		t.Fatal("she may already")
	}
	in(demo.Pilot, "night-pilotage")
	if may(demo.Pilot) {
		t.Error("a group whose name has another's in it gives")
	}
	in(demo.Pilot, "office pilotage")
	l, err := marta.Revisions(ctx, client.Query{"via": "identity provider"})
	if err != nil || len(l.Revisions) != 2 || l.Revisions[0].By.Label != "Harbour ID" || !may(demo.Pilot) {
		t.Fatalf("%v %+v", err, l)
	}
	in(demo.Pilot, "office pilotage") // nothing new is no revision
	in(demo.Manager, "pilotage")      // whose unit is outside what the account may change
	if n := untaken(); n != 2 || may(demo.Manager) {
		t.Errorf("%d lines of the security log", n)
	}
	in(demo.Pilot, "")
	if l, err := marta.Revisions(ctx, client.Query{"via": "identity provider"}); err != nil || len(l.Revisions) != 3 || may(demo.Pilot) {
		t.Errorf("%v %+v", err, l)
	}
}
