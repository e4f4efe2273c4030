package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/getkin/kin-openapi/openapi3"
)

// contract is the service's own document, which its answers are held to.
type contract struct{ doc *openapi3.T }

func contractOf(t *testing.T, c *client.Client) contract {
	t.Helper()
	_, _, raw := ask(t, c, "GET", "/openapi.json", "")
	doc, err := openapi3.NewLoader().LoadFromData(raw)
	if err != nil {
		t.Fatal(err)
	}
	return contract{doc}
}

// fits fails where the answer to a call of a route, as the document names it, is
// not one the document has.
func (c contract) fits(t *testing.T, route string, status int, kind string, raw []byte) {
	t.Helper()
	method, path, _ := strings.Cut(route, " ")
	responses := c.doc.Paths.Value("/api/v1" + path).GetOperation(method).Responses
	answer := responses.Status(status)
	if answer == nil {
		answer = responses.Default()
	}
	kind, _, _ = strings.Cut(kind, ";")
	if answer == nil || len(raw) > 0 && answer.Value.Content[kind] == nil {
		t.Errorf("%s: the document has no %q for %d", route, kind, status)
		return
	}
	if !strings.HasSuffix(kind, "json") {
		return
	}
	var value any
	if err := json.Unmarshal(raw, &value); err != nil {
		t.Errorf("%s: %v", route, err)
	} else if err := answer.Value.Content[kind].Schema.Value.VisitJSON(value); err != nil {
		t.Errorf("%s (%d): %.600v", route, status, err)
	}
}

// ask makes one call of the API, path as after /api/v1, and is told the status,
// the content type and the answer as they are.
func ask(t *testing.T, c *client.Client, method, path, body string) (status int, kind string, raw []byte) {
	t.Helper()
	req, err := http.NewRequest(method, c.Base+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if strings.HasPrefix(path, "/imports/") {
		req.Header.Set("Content-Type", "text/csv")
	} else if strings.HasPrefix(path, "/roster-file") {
		req.Header.Set("Content-Type", "application/yaml")
	} else if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if raw, err = io.ReadAll(resp.Body); err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, resp.Header.Get("Content-Type"), raw
}

// Every answer of the API fits the schema its document gives.
func TestAnswersFitTheDocument(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	document := contractOf(t, marta)
	tried := map[string]bool{}
	past := url.QueryEscape(time.Now().AddDate(0, -5, 0).Format(time.RFC3339))
	for _, x := range []struct{ route, path, body string }{
		{"GET /me", "/me", ""},
		{"GET /users", "/users?limit=500&as_of=" + past, ""},
		{"GET /users", "/users?q=hallo&sort=-unit", ""},
		{"GET /users", "/users?q=nobodyiscalledthat", ""},
		{"GET /users/{user}", "/users/ines.halloran", ""},
		{"GET /attributes/{attribute}/values", "/attributes/unit/values", ""},
		{"GET /freezes", "/freezes", ""},
		{"GET /shares", "/shares", ""},
		{"GET /shares", "/shares?application=berth-planning&as_of=" + past, ""},
		{"GET /units", "/units", ""},
		{"GET /calendar", "/calendar", ""},
		{"GET /machine-accounts", "/machine-accounts", ""},
		{"GET /connections", "/connections", ""},
		{"GET /employment-types", "/employment-types", ""},
		{"GET /shared-accounts", "/shared-accounts", ""},
		{"GET /sign-up-rules", "/sign-up-rules", ""},
		{"GET /team-rules", "/team-rules", ""},
		{"GET /teams", "/teams", ""},
		{"POST /sign-up", "/sign-up", `{"email":"nobody@here.example"}`},
		{"POST /sign-up/account", "/sign-up/account", `{"link":"x","display_name":"x","password":"x"}`},
		{"GET /me/sponsored", "/me/sponsored", ""},
		{"GET /me/passkeys", "/me/passkeys", ""},
		{"GET /me/providers", "/me/providers", ""},
		{"GET /session/providers", "/session/providers", ""},
		{"GET /reports/users/{user}", "/reports/users/ines.halloran?as_of=" + past, ""},
		{"GET /reports/roles/{role}", "/reports/roles/berth-planning%2Fscheduler", ""},
		{"GET /reports/revisions/{revision}", "/reports/revisions/900", ""},
		{"GET /roles/{role}/retirement", "/roles/berth-planning%2Fscheduler/retirement?replacement=berth-planning%2Freader", ""},
		{"GET /applications/{application}/retirement", "/applications/tariff-ledger/retirement", ""},
		{"GET /revisions", "/revisions?kind=grant&via=console&by=marta.quill&limit=3", ""},
		{"GET /users/{user}", "/users/berth-board?as_of=" + past, ""},
		{"GET /users/{user}/access", "/users/ines.halloran/access", ""},
		{"GET /groups", "/groups", ""},
		{"GET /groups/{group}", "/groups/pilots", ""},
		{"GET /applications", "/applications", ""},
		{"GET /applications/{application}", "/applications/berth-planning", ""},
		{"GET /roles", "/roles", ""},
		{"GET /roles/{role}", "/roles/berth-planning%2Fscheduler", ""},
		{"GET /assignments", "/assignments?user=ines.halloran", ""},
		{"GET /assignments/{assignment}", "/assignments/assignment-1", ""},
		{"GET /grid", "/grid?application=berth-planning&limit=20", ""},
		{"GET /holders", "/holders?application=tide-board&action=read&path=/&limit=20", ""},
		{"GET /holders", "/holders?application=gate-passes&action=issue&path=barriers&as_of=" + past, ""},
		{"GET /roles/{role}/holders", "/roles/tariff-ledger%2Fcredit-releaser/holders", ""},
		{"GET /gained-and-lost", "/gained-and-lost?from=" + past + "&limit=20", ""},
		{"GET /gained-and-lost", "/gained-and-lost?from=" + past + "&user=ines.halloran", ""},
		{"GET /users/{user}/timeline/permission", "/users/ines.halloran/timeline/permission?application=berth-planning&action=update&path=berths", ""},
		{"POST /checks", "/checks", `{"checks":[{"user":"ines.halloran","application":"pilot-roster","action":"update","path":"shifts","properties":{"owner":"ines.halloran"}},{"application":"tide-board","action":"read","path":"/"}]}`},
		{"POST /what-if", "/what-if", `{"operations":[{"op":"grant","user":"ines.halloran","role":"crane-control/operator"}],"checks":[{"user":"ines.halloran","application":"crane-control","action":"operate","path":"cranes"}],"access":"ines.halloran"}`},
		{"GET /search", "/search?q=hal", ""},
		{"GET /menu", "/menu?application=berth-planning&user=ines.halloran", ""},
		{"GET /revisions", "/revisions?limit=100", ""},
		{"GET /revisions/{revision}", "/revisions/1", ""},
		{"GET /revisions/{revision}/undo", "/revisions/900/undo", ""},
		{"GET /tokens", "/tokens", ""},
		{"GET /invitations", "/invitations", ""},
		{"GET /mails", "/mails", ""},
		{"GET /me/second-factor", "/me/second-factor", ""},
		{"GET /me/sessions", "/me/sessions", ""},
		{"POST /me/confirmation", "/me/confirmation", `{"password":"x"}`},
		{"PUT /me/second-factor", "/me/second-factor", `{"code":"123456"}`},
		{"POST /me/second-factor", "/me/second-factor", ""},
		{"POST /users/{user}/token-rotation", "/users/berth-board/token-rotation", `{"days":3}`},
		{"POST /me/passkeys/ceremony", "/me/passkeys/ceremony", `{"current_password":"x"}`},
		{"POST /me/passkeys", "/me/passkeys", `{"ceremony":"x","response":{}}`},
		{"POST /me/passkeys/{id}/removal", "/me/passkeys/1/removal", `{"current_password":"x"}`},
		{"POST /session/passkey-ceremony", "/session/passkey-ceremony", ""},
		{"POST /session/passkey", "/session/passkey", `{"ceremony":"x","response":{}}`},
		{"POST /session/provider-flow", "/session/provider-flow", `{"provider":"x"}`},
		{"POST /session/provider", "/session/provider", `{"state":"x"}`},
		{"POST /me/providers", "/me/providers", `{"provider":"x","current_password":"x"}`},
		{"DELETE /me/providers/{id}", "/me/providers/999", ""},
		{"POST /me/second-factor/removal", "/me/second-factor/removal", `{"code":"123456"}`},
		{"POST /me/second-factor/recovery-codes", "/me/second-factor/recovery-codes", `{"code":"123456"}`},
		{"DELETE /me/sessions/{id}", "/me/sessions/999", ""},
		{"POST /users/{user}/second-factor-removal", "/users/ines.halloran/second-factor-removal", ""},
		{"POST /users/{user}/invitation", "/users/ines.halloran/invitation", ""},
		{"POST /password-reset", "/password-reset", `{"user_name":"ines.halloran"}`},
		{"GET /set-up", "/set-up", ""},
		{"POST /check", "/check", `{"user":"ines.halloran","application":"berth-planning","action":"update","path":"berths/north-1","explain":true}`},
		{"POST /check", "/check", `{"application":"tide-board","action":"read","path":"/"}`},
		{"POST /changes", "/changes?dry_run=true", `{"operations":[{"op":"grant","user":"ines.halloran","role":"access-administrator"},{"op":"revoke","user":"ines.halloran","role":"tariff-ledger/reader"}]}`},
		{"POST /changes", "/changes", `{"reason":"x","operations":[{"op":"grant","user":"nobody","role":"nothing"}]}`},
		{"POST /ledger/verification", "/ledger/verification", ""},
		{"GET /ledger/verification", "/ledger/verification", ""},
		{"GET /ledger/head", "/ledger/head?revision=1", ""},
		{"GET /users/{user}", "/users/nobody.here", ""},
		{"GET /new-user-preview", "/new-user-preview?unit=terminal/cranes&title=Crane+operator", ""},
		{"GET /catalogue/{role}", "/catalogue/berth-planning%2Fscheduler", ""},
		{"GET /requests/{request}", "/requests/request-38", ""},
		{"GET /reviews/{round}", "/reviews/marine-winter", ""},
		{"GET /reviews/{round}/items", "/reviews/marine-winter/items?limit=5", ""},
		{"GET /reviews/{round}/items.csv", "/reviews/marine-winter/items.csv", ""},
		{"POST /imports/memberships", "/imports/memberships?dry_run=true", "group,user\npilots,b.osei\n"},
		{"POST /imports/memberships", "/imports/memberships?dry_run=true", "group,user\npilot,b.osei\n"},
		{"POST /imports/assignments", "/imports/assignments?dry_run=true", "role,user\nberth-planning/reader,b.osei\n"},
		{"GET /imports", "/imports", ""},
		{"GET /imports/{name}", "/imports/nothing-like-that", ""},
		{"DELETE /imports/{name}", "/imports/nothing-like-that", ""},
		{"POST /roster-file", "/roster-file?dry_run=true", "groups:\n  pilots:\n    label: 7\n"},
		{"POST /pending-changes", "/pending-changes", `{"reason":"x","operations":[{"op":"nothing"}]}`},
		{"POST /pending-changes/{change}/refusal", "/pending-changes/7/refusal", `{"why":"x"}`},
		{"DELETE /pending-changes/{change}", "/pending-changes/7", ""},
		{"POST /users/{user}/sign-in-link", "/users/ines.halloran/sign-in-link", ""},
		{"GET /security-log", "/security-log?limit=5", ""},
		{"POST /sign-in-link", "/sign-in-link", `{"link":"nothing","password":"a long enough password"}`},
		{"PUT /me/password", "/me/password", `{"old":"not it","new":"a long enough password"}`},
		{"POST /tokens", "/tokens", `{"label":"x","days":1}`},
		{"DELETE /tokens/{id}", "/tokens/999999", ""},
		{"POST /session", "/session", `{"user_name":"marta.quill","password":"not it"}`},
		{"POST /session/token", "/session/token", `{"user_name":"marta.quill","password":"not it","label":"x"}`},
		{"POST /set-up", "/set-up", `{"secret":"x","user_name":"x","display_name":"x","password":"x"}`},
		{"DELETE /session", "/session", ""},
	} {
		tried[x.route] = true
		method, _, _ := strings.Cut(x.route, " ")
		status, kind, raw := ask(t, marta, method, x.path, x.body)
		document.fits(t, x.route, status, kind, raw)
	}
	for _, x := range calls(wire.User{}, wire.User{}) {
		tried[x.route] = true // by TestEveryRouteAgainstEveryRole
	}
	for _, route := range routesOf(t, marta) {
		if !tried[route] {
			t.Errorf("no answer of %s is held to the document: give it one here", route)
		}
	}
}
