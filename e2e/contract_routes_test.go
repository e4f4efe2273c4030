package e2e

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// call is one call of a route, and the right on able-roster it asks for; a blank
// one is for whoever is signed in, since its answer is cut to what they may see.
type routeCall struct {
	route      string // as the service's own document names it
	path, body string // after /api/v1; blank: as the route
	action, on string
	without    int // the status without the right
	with       int // the status with it; 0: 200
}

// calls are one or more for every route there is.
func calls(finance, marine wire.User) []routeCall {
	at := func(u wire.User) string { return "users/" + u.Unit }
	var out []routeCall
	cut := func(route string, paths ...string) {
		if len(paths) == 0 {
			paths = []string{""}
		}
		for _, p := range paths {
			out = append(out, routeCall{route: route, path: p})
		}
	}
	needs := func(without int, action, on, route, path, body string) {
		out = append(out, routeCall{route: route, path: path, body: body, action: action, on: on, without: without})
	}
	for _, r := range []string{"GET /applications", "GET /assignments", "GET /assignments.csv", "GET /findings", "GET /groups", "GET /groups.csv", "GET /memberships.csv", "GET /attributes", "GET /units", "GET /calendar", "GET /machine-accounts", "GET /shared-accounts", "GET /team-rules", "GET /teams", "GET /connections", "GET /employment-types", "GET /me/sponsored", "GET /me/passkeys", "GET /me/providers", "GET /invitations", "GET /me/second-factor", "GET /me/sessions", "GET /delegations", "GET /mappings", "GET /me", "GET /me/access", "GET /catalogue", "GET /pending-changes", "GET /views", "GET /requests", "GET /reviews",
		"GET /roles", "GET /roster-file", "GET /roster-file/schema", "GET /today", "GET /tokens", "GET /users", "GET /users.csv"} {
		cut(r)
	}
	cut("GET /search", "/search?q=a")
	cut("GET /attributes/{attribute}/values", "/attributes/unit/values", "/attributes/title/values")
	needs(404, "read", "roles/-/staff", "GET /attributes/{attribute}/values", "/attributes/unit/values?role=staff", "")
	cut("GET /view-as", "/view-as?nobody=true")
	cut("GET /files/{list}", "/files/users?format=csv", "/files/groups?format=csv")
	cut("GET /gained-and-lost", "/gained-and-lost?from=2026-10-01T00:00:00Z")
	for _, app := range []string{"tariff-ledger", "berth-planning"} {
		on := "applications/" + app
		for _, end := range []string{"", "/coverage", "/going-live", "/over-time", "/rehearsal", "/retirement"} {
			needs(404, "read", on, "GET /applications/{application}"+end, "/applications/"+app+end, "")
		}
		needs(404, "read", on, "GET /applications/{application}/covered", "/applications/"+app+"/covered?pattern=x", "")
		needs(404, "read", on, "POST /applications/{application}/comparison", "/applications/"+app+"/comparison", `{"asked":true}`)
		needs(404, "read", on, "GET /grid", "/grid?application="+app, "")
		needs(404, "read", on, "GET /grid.csv", "/grid.csv?application="+app, "")
		needs(404, "read", on, "GET /holders", "/holders?application="+app+"&action=read&path=/", "")
		needs(404, "read", "roles/"+app+"/reader", "GET /roles/{role}", "/roles/"+app+"%2Freader", "")
		needs(404, "read", "roles/"+app+"/reader", "GET /roles/{role}/retirement", "/roles/"+app+"%2Freader/retirement", "")
		needs(404, "read", "roles/"+app+"/reader", "GET /reports/roles/{role}", "/reports/roles/"+app+"%2Freader", "")
		needs(404, "read", "roles/"+app+"/reader", "GET /roles/{role}/holders", "/roles/"+app+"%2Freader/holders", "")
		needs(404, "read", "roles/"+app+"/reader", "GET /roles/{role}/comparison", "/roles/"+app+"%2Freader/comparison?with="+app+"/reader", "")
	}
	for _, u := range []wire.User{finance, marine} {
		needs(404, "read", at(u), "GET /users/{user}/comparison", "/users/"+u.UserName+"/comparison?with="+u.UserName, "")
		for _, end := range []string{"", "/access", "/timeline", "/owned", "/timeline/permission?application=tide-board&action=read&path=tides"} {
			name, _, _ := strings.Cut(end, "?")
			if end == "/timeline/permission?application=tide-board&action=read&path=tides" {
				continue // two rights: below
			}
			needs(404, "read", at(u), "GET /users/{user}"+name, "/users/"+u.UserName+end, "")
		}
		needs(404, "read", at(u), "GET /reports/users/{user}", "/reports/users/"+u.UserName, "")
		needs(404, "read", at(u), "GET /view-as", "/view-as?user="+u.UserName, "")
		needs(403, "update", at(u), "POST /changes", "/changes?dry_run=true", fmt.Sprintf(`{"operations":[{"op":"update_user","user":%q,"title":"Deckhand"}]}`, u.ID))
		needs(403, "update", at(u), "POST /imports/users", "/imports/users?dry_run=true", "user_name,title\n"+u.UserName+",Deckhand\n")
		needs(403, "update", at(u), "POST /what-if", "/what-if", fmt.Sprintf(`{"operations":[{"op":"update_user","user":%q,"title":"Deckhand"}]}`, u.ID))
	}
	for _, list := range []string{"sod-rules", "freezes", "defaults", "expectations", "routes"} {
		needs(403, "read", "settings", "GET /"+list, "/"+list, "")
	}
	needs(403, "update", "settings", "POST /changes", "/changes?dry_run=true", `{"operations":[{"op":"set_aside_finding","findings":["role_unheld:role-65"],"until":"2027-01-31"}]}`)
	needs(403, "read", "ledger", "POST /ledger/verification", "/ledger/verification", "{}")
	needs(403, "read", "ledger", "GET /ledger/verification", "/ledger/verification", "")
	needs(403, "read", "ledger", "GET /ledger/head", "/ledger/head", "")
	needs(403, "update", "groups/finance", "POST /imports/groups", "/imports/groups?dry_run=true", "group,label\ntariff-desk,Desk\n")
	for _, kind := range []string{"view", "mapping"} {
		body := map[string]string{"view": `{"label":"x","shared":true,"search":{}}`, "mapping": `{"label":"x","shared":true,"mapping":{"columns":[{"column":"user_name","from":["Uid"]}]}}`}[kind]
		out = append(out, routeCall{"PUT /" + kind + "s/{" + kind + "}", "/" + kind + "s/shared-by-all", body, "update", "settings", 403, 204},
			routeCall{"GET /" + kind + "s/{" + kind + "}", "/" + kind + "s/nothing-like-it", "", "", "", 0, 404},
			routeCall{"DELETE /" + kind + "s/{" + kind + "}", "/" + kind + "s/shared-by-all", "", "update", "settings", 404, 204})
	}
	needs(403, "read", "settings", "GET /mails", "/mails", "")
	needs(403, "read", "settings", "GET /sign-up-rules", "/sign-up-rules", "")
	needs(403, "read", "ledger", "GET /refusals", "/refusals", "")
	needs(403, "read", "ledger", "GET /files/{list}", "/files/revisions?format=csv", "")
	needs(403, "read", "ledger", "GET /revisions", "/revisions", "")
	needs(404, "read", "ledger", "GET /revisions/{revision}", "/revisions/900", "")
	needs(404, "read", "ledger", "GET /reports/revisions/{revision}", "/reports/revisions/900", "")
	needs(404, "read", "ledger", "GET /revisions/{revision}/undo", "/revisions/900/undo", "")
	needs(404, "read", "groups/finance", "GET /groups/{group}", "/groups/tariff-desk", "")
	needs(404, "read", "groups/marine", "GET /groups/{group}", "/groups/duty-officers", "")
	needs(404, "read", "groups/finance", "GET /groups/{group}/members", "/groups/tariff-desk/members", "")
	return out
}

// elsewhere are routes whose right is tried by tests of their own, each with the
// test.
var elsewhere = map[string]string{
	"POST /check":                              "TestAnApplicationAsksAndReadsNobody",
	"POST /checks":                             "TestManyChecksAreAnsweredFromOneRevision",
	"GET /menu":                                "TestWhatIsOutsideIsNotThere",
	"GET /new-user-preview":                    "TestDefaultsByAPI",
	"GET /shares":                              "TestAnApplicationSharesForWhoHoldsIt",
	"GET /assignments/{assignment}":            "TestNoAnswerNamesWhomTheCallerMayNotRead",
	"GET /users/{user}/timeline/permission":    "TestNoAnswerNamesWhomTheCallerMayNotRead",
	"GET /catalogue/{role}":                    "TestNoAnswerNamesWhomTheCallerMayNotRead",
	"GET /requests/{request}":                  "TestRequestsByCommandLine",
	"GET /reviews/{round}":                     "TestReviewsByCommandLine",
	"GET /reviews/{round}/items":               "TestReviewsByCommandLine",
	"GET /reviews/{round}/items.csv":           "TestReviewsByCommandLine",
	"POST /imports/memberships":                "TestThePortGoesOutAndComesInAgain",
	"POST /imports/assignments":                "TestThePortGoesOutAndComesInAgain",
	"POST /roster-file":                        "TestARosterFileIsRefusedWhole",
	"GET /imports":                             "TestAnImportGoesOn",
	"GET /imports/{name}":                      "TestAnImportIsCancelled",
	"DELETE /imports/{name}":                   "TestAnImportIsCancelled",
	"POST /pending-changes":                    "TestAPartIsPassedOn",
	"POST /pending-changes/{change}/refusal":   "TestAPartIsPassedOn",
	"DELETE /pending-changes/{change}":         "TestAPartIsPassedOn",
	"POST /password-reset":                     "TestAForgottenPassword",
	"POST /sign-up":                            "TestWhoeverHasAnAddressInADomainSignsUp",
	"POST /sign-up/account":                    "TestWhoeverHasAnAddressInADomainSignsUp",
	"POST /users/{user}/invitation":            "TestSomebodyIsInvited",
	"POST /users/{user}/token-rotation":        "TestTokensAreRotated",
	"POST /me/second-factor":                   "TestASecondFactor",
	"POST /me/passkeys/ceremony":               "TestAPasskey",
	"POST /me/passkeys":                        "TestAPasskey",
	"POST /me/passkeys/{id}/removal":           "TestAPasskey",
	"POST /session/passkey-ceremony":           "TestAPasskey",
	"POST /session/passkey":                    "TestAPasskey",
	"GET /session/providers":                   "TestPeopleSignInByAnIdentityProvider",
	"POST /session/provider-flow":              "TestPeopleSignInByAnIdentityProvider",
	"POST /session/provider":                   "TestPeopleSignInByAnIdentityProvider",
	"POST /me/providers":                       "TestOnesOwnAccountIsLinked",
	"DELETE /me/providers/{id}":                "TestOnesOwnAccountIsLinked",
	"POST /me/confirmation":                    "TestWhatIsDangerousAsksAgain",
	"PUT /me/second-factor":                    "TestASecondFactor",
	"POST /me/second-factor/removal":           "TestASecondFactorIsRemoved",
	"POST /me/second-factor/recovery-codes":    "TestASecondFactorIsRemoved",
	"POST /users/{user}/second-factor-removal": "TestASecondFactor",
	"DELETE /me/sessions/{id}":                 "TestSessionsAreListedAndEnded",
	"PUT /me/password":                         "TestPasswordsAreSetByTheirPersonAlone",
	"POST /users/{user}/sign-in-link":          "TestPasswordsAreSetByTheirPersonAlone",
	"POST /sign-in-link":                       "TestPasswordsAreSetByTheirPersonAlone",
	"GET /security-log":                        "TestTheSecurityLogIsReadByWhoMay",
	"POST /tokens":                             "TestAnApplicationAsksAndReadsNobody",
	"DELETE /tokens/{id}":                      "TestEverydayWorkByAPI",
	"POST /session":                            "TestTheSessionCookieIsStrict",
	"DELETE /session":                          "TestTheSessionCookieIsStrict",
	"POST /session/token":                      "TestTooManyAttemptsArePausedWithARetryAfter",
	"GET /set-up":                              "TestTheFirstAdministratorIsNamedOnceByTheLink",
	"POST /set-up":                             "TestTheFirstAdministratorIsNamedOnceByTheLink",
}

// Every route, asked with every ready-made role, with none and with nobody signed
// in, lets through exactly whom the engine says may; the routes are those of the
// running service, so that a new one cannot be forgotten.
func TestEveryRouteAgainstEveryRole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	roles, err := os.ReadFile(filepath.Join(testkit.Root(), "docs/examples/ready-made-roles.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := marta.LoadRosterFile(ctx, roles, client.Query{"reason": "Parts of the work"}); err != nil {
		t.Fatal(err)
	}
	who := map[string]*client.Client{"": {Base: s.Base}, demo.Administrator: marta, demo.Manager: s.SignIn(t, demo.Manager), demo.Auditor: s.SignIn(t, demo.Auditor), demo.Pilot: s.SignIn(t, demo.Pilot)}
	scope := func(patterns ...string) string {
		var out []string
		for _, p := range patterns {
			out = append(out, fmt.Sprintf(`{"application":"able-roster","pattern":%q}`, p))
		}
		return "[" + strings.Join(out, ",") + "]"
	}
	for name, given := range map[string]struct{ role, scopes string }{
		"owner.of.tariffs":  {"application-owner", scope("applications/tariff-ledger", "roles/tariff-ledger", "users/finance")},
		"manager.of.marine": {"team-manager", scope("users/marine", "groups/marine", "roles/berth-planning", "applications/berth-planning")},
		"help.desk":         {"help-desk", "[]"},
		"auditor.too":       {"ledger-auditor", "[]"},
		"nothing.at.all":    {"", ""},
	} {
		ops := []string{fmt.Sprintf(`{"op":"add_user","user_name":%q,"unit":"customs"}`, name)}
		if given.role != "" {
			ops = append(ops, fmt.Sprintf(`{"op":"grant","user":%q,"role":%q,"scopes":%s}`, name, given.role, given.scopes))
		}
		if _, err := marta.Change(ctx, acknowledged(changeOf("A part of the work", ops...), "administering_gain"), false); err != nil {
			t.Fatal(name, err)
		}
		testkit.LetIn(t, marta, name, demo.Password)
		who[name] = s.SignIn(t, name)
	}
	one := func(unit string) wire.User {
		list, err := marta.Users(ctx, client.Query{"unit": unit, "status": "active", "limit": "1"})
		if err != nil || len(list.Users) != 1 {
			t.Fatal(err)
		}
		return list.Users[0]
	}
	all := calls(one("finance"), one("marine/tugs"))
	for _, route := range routesOf(t, marta) {
		if _, ok := elsewhere[route]; !ok && !slices.ContainsFunc(all, func(c routeCall) bool { return c.route == route }) {
			t.Errorf("%s is asked by nobody here: give it its right in calls", route)
		}
	}
	document := contractOf(t, marta)
	there := testsOf(t)
	for route, test := range elsewhere {
		if !there[test] {
			t.Errorf("%s is said to be tried by %s, which is not there", route, test)
		}
	}
	let, kept := 0, 0
	for name, c := range who {
		for _, x := range all {
			method, path, _ := strings.Cut(x.route, " ")
			if x.path != "" {
				path = x.path
			}
			got, kind, raw := ask(t, c, method, path, x.body)
			document.fits(t, x.route, got, kind, raw)
			want := cmp.Or(x.with, 200)
			switch {
			case name == "":
				want = 401
			case x.action != "" && !allowed(t, marta, name, "able-roster", x.action, x.on):
				want = x.without
			}
			// Whoever cannot even see the user is told that there is none.
			hidden := want == 403 && got == 422 && (strings.Contains(x.body, `"user":`) || strings.Contains(path, "/imports/"))
			if got != want && !hidden {
				t.Errorf("%s: %s %s %s: %d, want %d (%s on %s)", name, method, path, x.body, got, want, x.action, x.on)
			}
			if got < 300 {
				let++
			} else {
				kept++
			}
		}
	}
	if let < 200 || kept < 200 {
		t.Errorf("%d calls were let through, %d kept out", let, kept)
	}
}

// routesOf are the routes of the service's own document, without the prefix.
func routesOf(t *testing.T, c *client.Client) []string {
	t.Helper()
	var doc struct {
		Paths map[string]map[string]json.RawMessage
	}
	if err := c.Do(ctx, "GET", "/openapi.json", nil, nil, &doc); err != nil {
		t.Fatal(err)
	}
	var out []string
	for path, methods := range doc.Paths {
		for m := range methods {
			if m != "parameters" {
				out = append(out, strings.ToUpper(m)+" "+strings.TrimPrefix(path, "/api/v1"))
			}
		}
	}
	slices.Sort(out)
	return out
}

// testsOf are the names of all tests of the house.
func testsOf(t *testing.T) map[string]bool {
	t.Helper()
	out := map[string]bool{}
	err := filepath.WalkDir(testkit.Root(), func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		for _, m := range testNamed.FindAllSubmatch(text, -1) {
			out[string(m[1])] = true
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

var testNamed = regexp.MustCompile(`(?m)^func (Test\w+)\(`)
