package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// raw is the text of an answer, whatever it is.
func raw(t *testing.T, c *client.Client, path string) (int, string) {
	t.Helper()
	status, _, body := ask(t, c, "GET", path, "")
	return status, string(body)
}

// names are what nobody may learn who may not read the user: name, user name,
// address and id.
func names(u wire.User) []string {
	label := fmt.Sprintf("%q", u.DisplayName)
	if u.Kind == "service" { // called after what they are for, as resources are
		label = ""
	}
	return []string{u.UserName, label, u.Email, fmt.Sprintf("%q", u.ID)}
}

// reads are calls of every route that reads, of much of the demo organisation.
func reads(t *testing.T, marta *client.Client) []string {
	t.Helper()
	all, err := marta.Users(ctx, client.Query{"limit": "500"})
	if err != nil {
		t.Fatal(err)
	}
	roles, err := marta.Roles(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	paths := []string{"/me", "/users?limit=500", "/invitations", "/mails", "/me/second-factor", "/me/passkeys", "/me/providers", "/session/providers", "/me/sessions", "/groups", "/groups/pilots", "/applications", "/roles", "/assignments?limit=500", "/search?q=a&limit=50", "/search?q=ha", "/tokens",
		"/grid?limit=500&application=berth-planning", "/grid?limit=500&application=tariff-ledger", "/menu?application=berth-planning&user=ines.halloran",
		"/users/ines.halloran", "/users/ines.halloran/access", "/revisions?limit=500&user=ines.halloran", "/users?q=venables", "/users?unit=finance", "/users?group=finance-leads",
		"/holders?application=berth-planning&action=read&path=board&limit=500", "/holders?application=tariff-ledger&action=read&path=tariffs&limit=500", "/gained-and-lost?limit=500&from=2026-01-01T00:00:00Z",
		"/users/ines.halloran/timeline/permission?application=berth-planning&action=read&path=board", "/roles/berth-planning%2Freader/holders?limit=500",
		"/users/ines.halloran/timeline", "/applications/berth-planning/over-time", "/applications/tariff-ledger/over-time", "/reviews", "/reviews/marine-winter", "/reviews/marine-winter/items?limit=500", "/reviews/marine-winter/items.csv", "/reviews/tariffs-autumn", "/catalogue", "/catalogue/works-orders%2Fraiser",
		"/today", "/requests?limit=500", "/requests?state=waiting", "/defaults", "/sod-rules", "/freezes", "/shares", "/calendar", "/calendar?mine=true", "/units", "/machine-accounts", "/connections", "/employment-types", "/sign-up-rules", "/team-rules", "/teams", "/shared-accounts", "/me/sponsored", "/reports/users/ines.halloran", "/reports/roles/berth-planning%2Freader", "/reports/roles/staff", "/roles/berth-planning%2Freader/retirement", "/roles/staff/retirement", "/applications/berth-planning/retirement", "/applications/tariff-ledger/retirement", "/routes", "/new-user-preview?would_be=" + url.QueryEscape(`{"unit":"marine/pilotage"}`),
		"/expectations", "/findings?limit=500", "/findings?limit=500&code=assignment_doubled", "/applications/berth-planning/coverage", "/applications/tariff-ledger/coverage",
		"/applications/berth-planning/going-live", "/applications/berth-planning/covered?pattern=berths", "/roles/berth-planning%2Freader/comparison?with=berth-planning%2Fscheduler",
		"/attributes", "/attributes/unit/values", "/attributes/unit/values?role=berth-planning%2Freader", "/attributes/title/values", "/delegations", "/me/access", "/pending-changes", "/views", "/mappings", "/users/ines.halloran/owned", "/groups/pilots/members?limit=500", "/groups/night-gate/members?limit=500", "/users/ines.halloran/comparison?with=" + demo.Manager,
		"/files/users?format=csv", "/files/groups?format=csv", "/files/assignments?format=csv", "/files/requests?format=csv", "/files/findings?format=csv", "/files/groups%2Fpilots%2Fmembers?format=csv",
		"/view-as?nobody=true", "/view-as?user=ines.halloran", "/view-as?would_be=" + url.QueryEscape(`{"unit":"marine/tugs"}`), "/roster-file", "/users.csv", "/groups.csv", "/memberships.csv", "/assignments.csv",
		"/grid.csv?application=berth-planning", "/grid.csv?application=tariff-ledger", "/applications/incident-log/rehearsal",
		"/gained-and-lost?limit=500&from=2026-01-01T00:00:00Z&role=berth-planning%2Freader", "/gained-and-lost?limit=500&from=2026-01-01T00:00:00Z&application=tariff-ledger",
		"/users?limit=500&filter=" + url.QueryEscape(`not (unit eq "marine")`), "/users?limit=500&filter=" + url.QueryEscape(`email co "a" or manager pr`)}
	for i := 1; i <= int(roles.Revision); i += 7 {
		paths = append(paths, fmt.Sprintf("/revisions/%d", i), fmt.Sprintf("/revisions/%d/undo", i), fmt.Sprintf("/reports/revisions/%d", i))
	}
	for i := 1; i < 300; i += 9 {
		paths = append(paths, fmt.Sprintf("/assignments/assignment-%d", i))
	}
	for i := range 10 {
		paths = append(paths, fmt.Sprintf("/requests/request-%d", i+1))
	}
	for _, app := range []string{"berth-planning", "tariff-ledger", "incident-log", "able-roster"} {
		paths = append(paths, "/applications/"+app)
	}
	paths = append(paths, "/refusals", "/views/none", "/mappings/none", "/security-log", "/security-log?user="+demo.Pilot, "/imports", "/imports/nothing", "/ledger/head", "/ledger/verification", "/roster-file/schema", "/set-up", "/revisions?limit=500")
	for _, r := range roles.Roles {
		paths = append(paths, "/roles/"+strings.ReplaceAll(r.Key, "/", "%2F"), "/roles/"+strings.ReplaceAll(r.Key, "/", "%2F")+"/holders")
	}
	for _, u := range all.Users {
		if u.Unit == "finance" || u.UserName == demo.Auditor {
			paths = append(paths, "/users/"+u.UserName, "/users/"+u.ID, "/users/"+u.UserName+"/access", "/revisions?user="+u.UserName, "/assignments?user="+u.UserName)
		}
	}
	return paths
}

// Every read of the API, asked by somebody who sees only a part, names nobody
// outside it; today and on a past day.
func TestNoAnswerNamesWhomTheCallerMayNotRead(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager), s.SignIn(t, demo.Pilot)
	all, err := marta.Users(ctx, client.Query{"limit": "500"})
	if err != nil {
		t.Fatal(err)
	}
	past := "as_of=" + strings.ReplaceAll(time.Now().AddDate(0, -4, 0).UTC().Format(time.RFC3339), ":", "%3A")
	paths := reads(t, marta)
	for _, route := range routesOf(t, marta) {
		method, path, _ := strings.Cut(route, " ")
		asked := regexp.MustCompile("^" + regexp.MustCompile(`\\{\w+\\}`).ReplaceAllString(regexp.QuoteMeta(path), "[^/?]+") + `(\?|$)`)
		if method == "GET" && !slices.ContainsFunc(paths, asked.MatchString) {
			t.Errorf("nobody asks %s here: it may name whom the caller may not read", route)
		}
	}
	shares, err := marta.Shares(ctx, nil)
	if err != nil || len(shares.Shares) == 0 {
		t.Fatal(err)
	}
	met := map[*client.Client]map[string]bool{}
	for who, name := range map[*client.Client]string{tomas: demo.Manager, ines: demo.Pilot} {
		met[who] = map[string]bool{}
		requests, err := marta.Requests(ctx, client.Query{"limit": "500"})
		if err != nil || len(requests.Requests) < 7 {
			t.Fatal(err)
		}
		for _, r := range requests.Requests {
			people := []wire.Ref{r.Asker, r.Beneficiary}
			for _, s := range r.Steps {
				people = append(people, s.Deciders...)
				for _, d := range s.Decisions {
					people = append(people, *d.Given.By)
				}
			}
			if slices.ContainsFunc(people, func(p wire.Ref) bool { return p.Key == name }) {
				for _, p := range people {
					met[who][p.ID] = true
				}
			}
		}
	}
	for _, x := range []struct {
		who  *client.Client
		name string
		may  func(wire.User) bool
	}{
		{tomas, "the marine manager", func(u wire.User) bool { return u.Unit == "marine" || strings.HasPrefix(u.Unit, "marine/") }},
		{ines, "the pilot", func(u wire.User) bool { return u.UserName == demo.Pilot }},
	} {
		for _, path := range paths {
			for _, day := range []string{"", past} {
				at := path
				if day != "" {
					at += map[bool]string{true: "&", false: "?"}[strings.Contains(path, "?")] + day
				}
				status, body := raw(t, x.who, at)
				if status >= 500 || status == 422 && day == "" {
					t.Errorf("%s asks %s: %d %s", x.name, at, status, body)
				}
				may := x.may
				if strings.HasPrefix(path, "/today") || strings.Contains(path, "/requests") { // who has to do with a request knows the others
					may = func(u wire.User) bool { return x.may(u) || met[x.who][u.ID] }
				}
				if strings.HasPrefix(path, "/shares") { // who shared something knows with whom
					may = func(u wire.User) bool {
						return x.may(u) || x.who == ines && slices.ContainsFunc(shares.Shares, func(f wire.Share) bool { return f.SharedBy.Key == demo.Pilot && f.User.Key == u.UserName })
					}
				}
				if strings.HasPrefix(path, "/me/access") { // who handed it to me
					may = func(u wire.User) bool {
						return x.may(u) || u.UserName == demo.Administrator || u.UserName == demo.Manager
					}
				}
				if strings.HasPrefix(path, "/catalogue") { // whom a route names is whom anybody asks who asks for the role
					may = func(u wire.User) bool { return x.may(u) || u.UserName == demo.Administrator }
				}
				silent(t, all.Users, may, x.name+" asks "+at, path, body)
			}
		}
		// What a change would do, for all that stands in its way, names nobody else either.
		for _, op := range []string{`{"op":"add_member","group":"finance-leads","user":"ines.halloran"}`, `{"op":"update_group","group":"pilots","filter":"kind eq \"person\""}`,
			`{"op":"grant","group":"pilots","role":"berth-planning/scheduler"}`, `{"op":"grant","group":"all-users","role":"berth-planning/reader"}`,
			`{"op":"add_permission","role":"berth-planning/reader","application":"berth-planning","actions":["update"],"pattern":"berths"}`,
			`{"op":"update_user","user":"ines.halloran","unit":"finance"}`, grantTo("ines.halloran", "berth-planning/scheduler")} {
			var result wire.ChangeResult
			err := x.who.Do(ctx, "POST", "/changes", client.Query{"dry_run": "true", "limit": "500"}, changeOf("", op), &result)
			answer, _ := json.Marshal(result)
			var p *wire.Problem
			if errors.As(err, &p) {
				problem, _ := json.Marshal(p)
				answer = append(answer, problem...)
			}
			silent(t, all.Users, x.may, x.name+" tries "+op, op, string(answer))
		}
	}
}

// silent fails when an answer names a user who may not be read, and whom the
// question did not name.
func silent(t *testing.T, all []wire.User, may func(wire.User) bool, what, asked, answer string) {
	t.Helper()
	for _, u := range all {
		if may(u) || strings.Contains(asked, u.UserName) || strings.Contains(asked, u.ID) {
			continue
		}
		for _, n := range names(u) {
			if n != "" && n != `""` && strings.Contains(answer, n) {
				t.Fatalf("%s and is told of %s (%s)", what, u.UserName, n)
			}
		}
	}
}

// short is a path without the question about what it names.
func short(path string) string {
	for _, end := range []string{"/access", "/coverage", "/going-live", "/owned", "/members", "/comparison?with=ines.halloran"} {
		path = strings.TrimSuffix(path, end)
	}
	return path
}

// To somebody who may not see a thing it is not there: the answer is the one
// for a name that nobody bears.
func TestWhatIsOutsideIsNotThere(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines := s.SignIn(t, demo.Pilot)
	for _, pair := range [][2]string{
		{"/users/b.osei", "/users/b.esoi"},
		{"/users/b.osei/access", "/users/b.esoi/access"},
		{"/revisions?user=b.osei", "/revisions?user=b.esoi"},
		{"/groups/tariff-desk", "/groups/tarriff-desk"},
		{"/roles/auditor", "/roles/auditer"},
		{"/applications/tariff-ledger", "/applications/tarrif-ledger"},
		{"/assignments?user=b.osei", "/assignments?user=b.esoi"},
		{"/grid?application=tariff-ledger", "/grid?application=tarrif-ledger"},
		{"/applications/tariff-ledger/coverage", "/applications/tarrif-ledger/coverage"},
		{"/applications/tariff-ledger/going-live", "/applications/tarrif-ledger/going-live"},
		{"/view-as?user=b.osei", "/view-as?user=b.esoi"},
		{"/users/b.osei/owned", "/users/b.esoi/owned"},
		{"/users/ines.halloran/comparison?with=b.osei", "/users/ines.halloran/comparison?with=b.esoi"},
		{"/users/b.osei/comparison?with=ines.halloran", "/users/b.esoi/comparison?with=ines.halloran"},
		{"/groups/tariff-desk/members", "/groups/tarriff-desk/members"},
		{"/menu?application=tariff-ledger&user=b.osei", "/menu?application=tariff-ledger&user=b.esoi"},
	} {
		answer := func(path string) string {
			status, body := raw(t, ines, path)
			var p wire.Problem
			if err := json.Unmarshal([]byte(body), &p); err != nil || status != 404 {
				t.Fatalf("%s: %d %s", path, status, body)
			}
			name := path[strings.LastIndexAny(short(path), "/=")+1:]
			return strings.ReplaceAll(fmt.Sprint(p.Type, p.Title, p.Detail, p.Faults), short(name), "NAME")
		}
		if there, not := answer(pair[0]), answer(pair[1]); there != not {
			t.Errorf("one is told apart from the other:\n%s\n%s", there, not)
		}
	}
	// The same in checks and in changes.
	for _, name := range []string{"b.osei", "b.esoi"} {
		a, err := ines.Check(ctx, wire.CheckRequest{User: name, Application: "tide-board", Action: "read", Path: "/", Explain: true})
		if err != nil || a.Reason != "application_unknown" || len(a.Paths) > 0 {
			t.Errorf("%s: %+v %v", name, a, err)
		}
		_, err = ines.Change(ctx, changeOf("x", grantTo(name, "auditor")), false)
		p := problem(t, err, 422, "invalid")
		if got := fmt.Sprint(p.Faults); got != fmt.Sprintf("[{/operations/0/role there is no role “auditor”, or it is outside what you may see [] 0 } {/operations/0/user there is no user “%s”, or it is outside what you may see [] 0 }]", name) {
			t.Errorf("%s", got)
		}
	}
	if list, err := ines.Users(ctx, nil); err != nil || list.Total != 1 || list.Users[0].UserName != demo.Pilot {
		t.Errorf("she sees %+v (%v)", list, err)
	}
	if _, err := ines.Revisions(ctx, nil); err == nil {
		t.Error("she reads the whole ledger")
	}
}

// A delegate works in their part, and a change that reaches outside it is told
// without a name or a number.
func TestADelegateWorksInTheirPart(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	tomas := s.SignIn(t, demo.Manager)
	if _, err := tomas.Change(ctx, changeOf("New on the team", `{"op":"add_user","user_name":"zoe.marrick","unit":"marine/tugs"}`, grantTo("zoe.marrick", "berth-planning/scheduler")), false); err != nil {
		t.Fatal(err)
	}
	for name, req := range map[string]wire.ChangeRequest{
		"a role of another application": changeOf("x", grantTo("zoe.marrick", "tariff-ledger/clerk")),
		"somebody of another unit":      changeOf("x", grantTo("b.osei", "berth-planning/reader")),
		"an account elsewhere":          changeOf("x", `{"op":"add_user","user_name":"new.one","unit":"finance"}`),
		"administering":                 changeOf("x", grantTo(demo.Manager, "access-administrator")),
		"everybody":                     changeOf("x", `{"op":"grant","group":"all-users","role":"berth-planning/reader"}`),
	} {
		_, err := tomas.Change(ctx, req, true)
		if err == nil {
			t.Errorf("%s: was let through", name)
			continue
		}
		if text := fmt.Sprint(err); strings.Contains(text, "Osei") {
			t.Errorf("%s: %s", name, text)
		}
	}
	list, err := tomas.Users(ctx, client.Query{"limit": "500"})
	if err != nil || !slices.ContainsFunc(list.Users, func(u wire.User) bool { return u.UserName == "zoe.marrick" }) {
		t.Errorf("his new colleague is not in his list (%v)", err)
	}
	for _, u := range list.Users {
		if !strings.HasPrefix(u.Unit, "marine") {
			t.Errorf("%s of %s is in his list", u.UserName, u.Unit)
		}
	}
	if _, err := tomas.Verify(ctx, nil); err == nil {
		t.Error("he verifies the whole ledger")
	}
}

// The account of an application asks about anybody, and reads nobody.
func TestAnApplicationAsksAndReadsNobody(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var token wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "test", User: demo.BerthBoard}, &token); err != nil {
		t.Fatal(err)
	}
	board := &client.Client{Base: s.Base, Token: token.Secret}
	if _, err := marta.Change(ctx, changeOf("It asks, and no more", `{"op":"add_role","key":"board-asks"}`, `{"op":"add_permission","role":"board-asks","application":"able-roster","actions":["evaluate"],"pattern":"applications/berth-planning"}`,
		`{"op":"revoke","role":"berth-board-service","user":"berth-board"}`, `{"op":"grant","role":"board-asks","user":"berth-board"}`), false); err != nil {
		t.Fatal(err)
	}
	a, err := board.Check(ctx, wire.CheckRequest{User: demo.Pilot, Application: "berth-planning", Action: "update", Path: "berths/north-1", Explain: true})
	if err != nil || !a.Allowed || a.Reason != "granted" || len(a.Paths) > 0 {
		t.Errorf("%+v %v", a, err)
	}
	a, err = board.Check(ctx, wire.CheckRequest{User: demo.Pilot, Application: "tariff-ledger", Action: "read", Path: "tariffs"})
	if err != nil || a.Allowed || a.Reason == "granted" {
		t.Errorf("an application it does not decide for: %+v %v", a, err)
	}
	if list, err := board.Users(ctx, nil); err != nil || list.Total != 1 {
		t.Errorf("it sees %d users (%v)", list.Total, err)
	}
	// People make their own tokens; nobody gets one for somebody with more.
	err = marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "test", User: demo.Pilot}, &token)
	problem(t, err, 403, "refused")
	_, err = s.SignIn(t, demo.Manager).MakeSignInLink(ctx, demo.Administrator)
	problem(t, err, 404, "not-found")
	// Somebody who has departed is out at once, tokens and all.
	if _, err := marta.Change(ctx, acknowledged(changeOf("Switched off", `{"op":"update_user","user":"berth-board","status":"suspended"}`), "application_depends"), false); err != nil {
		t.Fatal(err)
	}
	_, err = board.Check(ctx, wire.CheckRequest{User: demo.Pilot, Application: "berth-planning", Action: "read", Path: "board"})
	problem(t, err, 401, "not-signed-in")
}
