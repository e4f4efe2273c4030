package e2e

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"net/http"
	"slices"
	"sort"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// point is a policy decision point as an enforcement point knows it: by its metadata alone.
type point struct {
	t     *testing.T
	token string
	at    map[string]any
}

// decisionPoint reads the metadata of a service, which needs nobody signed in.
func decisionPoint(t *testing.T, base, token string) *point {
	t.Helper()
	r, err := http.Get(base + "/.well-known/authzen-configuration")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	p := &point{t: t, token: token}
	if err := json.NewDecoder(r.Body).Decode(&p.at); err != nil || r.StatusCode != 200 || r.Header.Get("Content-Type") != "application/json; charset=utf-8" && r.Header.Get("Content-Type") != "application/json" {
		t.Fatalf("%s %s, %v", r.Status, r.Header.Get("Content-Type"), err)
	}
	if p.at["policy_decision_point"] != base { // section 9.2.3: else it must not be used
		t.Fatalf("the decision point calls itself %v", p.at["policy_decision_point"])
	}
	return p
}

// raw posts a body as it is.
func (p *point) raw(endpoint, body string, headers ...string) (status int, text string, h http.Header) {
	p.t.Helper()
	at, ok := p.at[endpoint].(string)
	if !ok {
		p.t.Fatalf("the metadata has no %s", endpoint)
	}
	status, raw, h := send(p.t, "POST", at, p.token, "application/json", body, headers...)
	return status, string(raw), h
}

// put posts a question that is answered, and reads the answer.
func put[T any](p *point, endpoint string, question m) (out T) {
	p.t.Helper()
	raw, err := json.Marshal(question)
	if err != nil {
		p.t.Fatal(err)
	}
	status, text, h := p.raw(endpoint, string(raw))
	d := json.NewDecoder(bytes.NewReader([]byte(text)))
	d.DisallowUnknownFields()
	if err := d.Decode(&out); err != nil || status != 200 || !strings.HasPrefix(h.Get("Content-Type"), "application/json") {
		p.t.Fatalf("%s %s: %d %s (%v)", endpoint, raw, status, text, err)
	}
	return out
}

type evaluated struct {
	Decision bool `json:"decision"`
	Context  *struct {
		Reason      string            `json:"reason"`
		Revision    int64             `json:"revision"`
		ReasonAdmin map[string]string `json:"reason_admin"`
		ReasonUser  map[string]string `json:"reason_user"`
		Requestable []struct {
			Role, Label, Request string
		} `json:"requestable"`
		Error *struct {
			Status  int    `json:"status"`
			Message string `json:"message"`
		} `json:"error"`
	} `json:"context"`
}

type evaluatedAll struct {
	Evaluations []evaluated `json:"evaluations"`
}

type foundAll struct {
	Results []struct {
		Type string `json:"type"`
		ID   string `json:"id"`
		Name string `json:"name"`
	} `json:"results"`
	Page struct {
		Next  string `json:"next_token"`
		Count int    `json:"count"`
		Total int    `json:"total"`
	} `json:"page"`
	Context *struct {
		Outside bool `json:"outside"`
	} `json:"context"`
}

func subject(user string) m {
	if user == "" {
		return m{"type": "nobody", "id": "-"}
	}
	return m{"type": "user", "id": user}
}

func evaluation(user, app, action, path string) m {
	return m{"subject": subject(user), "action": m{"name": action}, "resource": m{"type": app, "id": path}}
}

// What is decided by the standard is what POST /check decides, one by one, many at once, and by
// search, for whoever decides and for whoever sees a part.
func TestAuthZENDecidesAsCheckDoes(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var token wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "berth board", User: demo.BerthBoard}, &token); err != nil {
		t.Fatal(err)
	}
	var users []string
	var page wire.UserList
	if err := marta.Do(ctx, "GET", "/users?limit=500", nil, nil, &page); err != nil || page.Next != "" {
		t.Fatal(err)
	}
	for _, u := range page.Users {
		users = append(users, u.UserName)
	}
	var resources wire.Application
	if err := marta.Do(ctx, "GET", "/applications/berth-planning", nil, nil, &resources); err != nil {
		t.Fatal(err)
	}
	actions := []string{"read", "create", "update", "release", "dance"}
	rng := rand.New(rand.NewPCG(1, 2))
	pick := func(all []string) string { return all[rng.IntN(len(all))] }
	paths := []string{"voyages/v-17", "not-there"}
	for _, r := range resources.Resources {
		paths = append(paths, r.Path)
	}
	for name, as := range map[string]*client.Client{"the application": s.Client(token.Secret), "an administrator": marta, "a pilot": s.SignIn(t, demo.Pilot)} {
		p := decisionPoint(t, s.Base, as.Token)
		allowed, denied := 0, 0
		var batch []any
		var wants []wire.CheckAnswer
		for i := range 300 {
			user, app := pick(append(users, "", "nobody.such")), "berth-planning"
			if i%3 == 0 && name == "a pilot" {
				user = demo.Pilot
			}
			if i%20 == 0 {
				app = pick([]string{"tide-board", "no-such", "tariff-ledger"})
			}
			action, path := pick(actions), pick(paths)
			want, err := as.Check(ctx, wire.CheckRequest{User: user, Nobody: user == "", Application: app, Action: action, Path: path})
			if err != nil {
				t.Fatal(err)
			}
			q := evaluation(user, app, action, path)
			got := put[evaluated](p, "access_evaluation_endpoint", q)
			if got.Decision != want.Allowed || (got.Context == nil) != (want.Reason == "granted") || got.Context != nil && (got.Context.Reason != want.Reason || got.Context.ReasonAdmin["en"] != want.Message || got.Context.ReasonUser["en"] == "") {
				t.Fatalf("%s asks %v: %+v, by check %+v", name, q, got, want)
			}
			if want.Allowed {
				allowed++
			} else {
				denied++
			}
			batch, wants = append(batch, q), append(wants, want)
		}
		if allowed < 5 || denied < 50 {
			t.Errorf("%s: %d allowed, %d denied", name, allowed, denied)
		}
		for semantic, stops := range map[string]string{"": "", "execute_all": "", "deny_on_first_deny": "denied", "permit_on_first_permit": "allowed"} {
			q := m{"evaluations": batch}
			if semantic != "" {
				q["options"] = m{"evaluations_semantic": semantic}
			}
			got := put[evaluatedAll](p, "access_evaluations_endpoint", q).Evaluations
			n := len(wants)
			if i := slices.IndexFunc(wants, func(a wire.CheckAnswer) bool {
				return stops == "denied" && !a.Allowed || stops == "allowed" && a.Allowed
			}); i >= 0 {
				n = i + 1
			}
			if len(got) != n {
				t.Fatalf("%s: %d answers, not %d", semantic, len(got), n)
			}
			for i := range got {
				if got[i].Decision != wants[i].Allowed {
					t.Fatalf("%s, number %d: %v, by check %v", semantic, i, got[i].Decision, wants[i].Allowed)
				}
			}
		}

		// What is found by search is allowed, and nothing is allowed that is not found.
		for range 12 {
			user, action, path := pick(append(users, demo.Pilot, demo.Pilot)), pick(actions[:4]), pick(paths)
			yes := func(user, action, path string) bool {
				a, err := as.Check(ctx, wire.CheckRequest{User: user, Application: "berth-planning", Action: action, Path: path})
				return err == nil && a.Allowed
			}
			var wantActions, wantPaths []string
			for _, a := range actions {
				if yes(user, a, path) {
					wantActions = append(wantActions, a)
				}
			}
			for _, x := range paths[2:] {
				if yes(user, action, x) {
					wantPaths = append(wantPaths, x)
				}
			}
			same := func(kind string, q m, want []string) {
				sort.Strings(want)
				if got := pages(p, "search_"+kind+"_endpoint", q); !slices.Equal(got, want) {
					t.Fatalf("%s searches %s %v: %q, one by one %q", name, kind, q, got, want)
				}
			}
			same("action", m{"subject": subject(user), "resource": m{"type": "berth-planning", "id": path}}, wantActions)
			same("resource", m{"subject": subject(user), "action": m{"name": action}, "resource": m{"type": "berth-planning"}}, wantPaths)
			var wantUsers []string
			if name == "an administrator" {
				for _, u := range users {
					if yes(u, action, path) {
						wantUsers = append(wantUsers, u)
					}
				}
				same("subject", m{"subject": m{"type": "user"}, "action": m{"name": action}, "resource": m{"type": "berth-planning", "id": path}}, wantUsers)
			}
		}
	}
}

// pages are the results of a search, a few at a time.
func pages(p *point, endpoint string, q m) (out []string) {
	p.t.Helper()
	token := ""
	for {
		q["page"] = m{"limit": 3}
		if token != "" {
			q["page"] = m{"limit": 3, "token": token}
		}
		found := put[foundAll](p, endpoint, q)
		for _, r := range found.Results {
			out = append(out, r.ID+r.Name)
		}
		if found.Page.Count != len(found.Results) || found.Page.Count > 3 {
			p.t.Fatalf("%+v", found.Page)
		}
		if token = found.Page.Next; token == "" {
			if found.Page.Total != len(out) {
				p.t.Fatalf("%d in all, %d on the pages", found.Page.Total, len(out))
			}
			return out
		}
	}
}

// By method and address the resource that is served there answers; what is registered nowhere is
// denied.
func TestACallIsDecidedByItsAddress(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	update := func(path string, addresses ...string) {
		t.Helper()
		if _, err := marta.Change(ctx, changeOf("Where it is served", asText(m{"op": "update_resource", "application": "berth-planning", "path": path, "addresses": addresses})), false); err != nil {
			t.Fatal(err)
		}
	}
	update("berths/south-1", "/berths/south-1", "POST /assign/south-1 update")
	update("voyages", "/voyages/{voyage}")
	p := decisionPoint(t, s.Base, marta.Token)
	for _, x := range []struct {
		user, method, address, action, path string
	}{
		{demo.Pilot, "GET", "/berths/south-1", "read", "berths/south-1"},
		{demo.Pilot, "PUT", "https://berths.larkhaven.example/berths/south-1?x=1", "update", "berths/south-1"},
		{demo.Pilot, "POST", "/assign/south-1/", "update", "berths/south-1"},
		{demo.Pilot, "GET", "/assign/south-1", "", ""},
		{demo.Pilot, "GET", "/voyages/v-17", "read", "voyages/v-17"},
		{demo.Pilot, "DELETE", "/voyages/v-17", "delete", "voyages/v-17"},
		{demo.Pilot, "GET", "/voyages/v-17/x", "", ""},
		{"", "GET", "/arrivals", "read", "board/arrivals"},
	} {
		got, err := marta.Check(ctx, wire.CheckRequest{User: x.user, Nobody: x.user == "", Application: "berth-planning", Method: x.method, Address: x.address})
		if err != nil {
			t.Fatal(err)
		}
		want := wire.CheckAnswer{Reason: "resource_unknown"}
		if x.path != "" {
			if want, err = marta.Check(ctx, wire.CheckRequest{User: x.user, Nobody: x.user == "", Application: "berth-planning", Action: x.action, Path: x.path}); err != nil {
				t.Fatal(err)
			}
		}
		if got.Allowed != want.Allowed || got.Reason != want.Reason || got.Action != x.action || got.Path != x.path {
			t.Errorf("%s %s: %+v, not %+v", x.method, x.address, got, want)
		}
		if e := put[evaluated](p, "access_evaluation_endpoint", evaluation(x.user, "berth-planning", x.method, x.address)); e.Decision != want.Allowed {
			t.Errorf("%s %s by the standard: %v", x.method, x.address, e.Decision)
		}
	}
	for _, q := range []wire.CheckRequest{
		{User: demo.Pilot, Application: "berth-planning", Method: "GET"},
		{User: demo.Pilot, Application: "berth-planning", Address: "/arrivals"},
		{User: demo.Pilot, Application: "berth-planning", Method: "get", Address: "/arrivals"},
		{User: demo.Pilot, Application: "berth-planning", Method: "GET", Address: "/a/../arrivals"},
		{User: demo.Pilot, Application: "berth-planning", Method: "GET", Address: "/arrivals", Action: "read"},
	} {
		if a, err := marta.Check(ctx, q); err == nil {
			t.Errorf("%+v is answered: %+v", q, a)
		}
	}
	// Whoever does not see the application does not learn what an address comes to.
	if a, err := s.SignIn(t, demo.Pilot).Check(ctx, wire.CheckRequest{User: demo.Pilot, Application: "berth-planning", Method: "GET", Address: "/arrivals"}); err != nil || a.Path != "" {
		t.Errorf("%+v, %v", a, err)
	}
	if _, err := marta.Change(ctx, changeOf("Twice", asText(m{"op": "update_resource", "application": "berth-planning", "path": "berths/south-2", "addresses": []string{"/voyages/{other}"}})), false); !strings.Contains(asFaults(err), "is one of voyages already") {
		t.Errorf("two resources are served at one address: %v", err)
	}
}

// Errors are statuses with a text that names every fault; unknown members are passed over; ids of
// requests come back; nobody who is not let in is answered.
func TestAuthZENRefusesWhatItMust(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := decisionPoint(t, s.Base, marta.Token)
	good := `{"subject":{"type":"user","id":"` + demo.Pilot + `"},"action":{"name":"read"},"resource":{"type":"berth-planning","id":"board"}}`
	for _, x := range []struct {
		endpoint, body string
		status         int
		says           []string
	}{
		{"access_evaluation_endpoint", good, 200, nil},
		{"access_evaluation_endpoint", strings.Replace(good, "{", `{"hint":{"deep":[1]},`, 1), 200, nil},
		{"access_evaluation_endpoint", strings.Replace(good, `"id":"board"`, `"id":"board","properties":{"colour":"red","owner":"`+demo.Pilot+`"}`, 1), 200, nil},
		{"access_evaluation_endpoint", strings.TrimSuffix(good, "}") + `,"context":{"time":"1985-10-26T01:22-07:00"}}`, 200, nil},
		{"access_evaluation_endpoint", "", 400, nil},
		{"access_evaluation_endpoint", "{}", 400, []string{"/subject is missing", "/action is missing", "/resource is missing"}},
		{"access_evaluation_endpoint", "[]", 400, nil},
		{"access_evaluation_endpoint", good + good, 400, nil},
		{"access_evaluation_endpoint", strings.Replace(good, `"type":"user"`, `"type":"user","type":"nobody"`, 1), 400, []string{"given twice"}},
		{"access_evaluation_endpoint", strings.Replace(good, `"type":"user",`, ``, 1), 400, []string{"/subject/type is missing"}},
		{"access_evaluation_endpoint", strings.Replace(good, `"name":"read"`, `"name":7`, 1), 400, nil},
		{"access_evaluation_endpoint", strings.Replace(good, `"id":"board"`, `"id":"a//b"`, 1), 400, []string{"/resource/id"}},
		{"access_evaluation_endpoint", strings.Replace(good, `"id":"board"`, `"id":"board","properties":{"owner":7}`, 1), 400, []string{"/resource/properties/owner"}},
		{"access_evaluation_endpoint", strings.Replace(good, `"id":"board"`, `"id":"board","properties":[]`, 1), 400, []string{"/resource/properties is no object"}},
		{"access_evaluation_endpoint", strings.TrimSuffix(good, "}") + `,"context":{"at":"yesterday"}}`, 400, nil},
		{"access_evaluations_endpoint", good, 200, []string{`"decision":true`}},
		{"access_evaluations_endpoint", strings.TrimSuffix(good, "}") + `,"evaluations":[]}`, 200, []string{`"decision":true`}},
		{"access_evaluations_endpoint", strings.TrimSuffix(good, "}") + `,"evaluations":[{},{"resource":{"type":"berth-planning","id":"a//b"}},{"resource":{"type":"berth-planning"}}]}`, 200, []string{`"decision":true`, `"error":{"status":400`}},
		{"access_evaluations_endpoint", strings.TrimSuffix(good, "}") + `,"evaluations":[{}],"options":{"evaluations_semantic":"guess"}}`, 400, []string{"/options/evaluations_semantic"}},
		{"access_evaluations_endpoint", strings.TrimSuffix(good, "}") + `,"evaluations":[` + strings.TrimSuffix(strings.Repeat("{},", 1001), ",") + `]}`, 400, []string{"/evaluations are more than 1000"}},
		{"search_subject_endpoint", `{"subject":{"type":"user"},"action":{"name":"read"},"resource":{"type":"berth-planning"}}`, 400, []string{"/resource/id is missing"}},
		{"search_subject_endpoint", `{"subject":{"type":"user"},"action":{"name":"read"},"resource":{"type":"berth-planning","id":"board"},"page":{"token":"x"}}`, 400, []string{"/page/token"}},
		{"search_subject_endpoint", `{"subject":{"type":"user"},"action":{"name":"read"},"resource":{"type":"berth-planning","id":"board"},"page":{"limit":0}}`, 400, []string{"/page/limit"}},
		{"search_subject_endpoint", `{"subject":{"type":"robot"},"action":{"name":"read"},"resource":{"type":"berth-planning","id":"board"}}`, 200, []string{`"results":[]`, `"next_token":""`}},
		{"search_action_endpoint", `{"subject":{"type":"user","id":"` + demo.Pilot + `"},"resource":{"type":"no-such","id":"board"}}`, 200, []string{`"results":[]`}},
	} {
		status, text, h := p.raw(x.endpoint, x.body, "X-Request-ID", "call/47")
		if status != x.status || h.Get("X-Request-Id") != "call/47" {
			t.Errorf("%s: %d (id %s)\n%s", x.body, status, h.Get("X-Request-Id"), text)
		}
		for _, say := range x.says {
			if !strings.Contains(text, say) {
				t.Errorf("%s is not told %q:\n%s", x.body, say, text)
			}
		}
	}
	if status, _, h := p.raw("access_evaluation_endpoint", good, "Content-Type", "text/plain"); status != 415 || h.Get("X-Request-Id") == "" {
		t.Errorf("another content type: %d", status)
	}
	if _, _, h := p.raw("access_evaluation_endpoint", good, "X-Request-ID", strings.Repeat("x", 300)); len(h.Get("X-Request-Id")) > 200 {
		t.Error("an id of any length comes back")
	}
	if status, _, h := p.raw("access_evaluation_endpoint", good, "Authorization", "Bearer roster_nobody"); status != 401 || h.Get("WWW-Authenticate") == "" {
		t.Errorf("nobody is answered: %d", status)
	}
	// A token of one search is none of another.
	first := put[foundAll](p, "search_subject_endpoint", m{"subject": m{"type": "user"}, "action": m{"name": "read"}, "resource": m{"type": "berth-planning", "id": "board"}, "page": m{"limit": 1}})
	if first.Page.Next == "" {
		t.Fatal("one page holds all")
	}
	if status, text, _ := p.raw("search_subject_endpoint", `{"subject":{"type":"user"},"action":{"name":"update"},"resource":{"type":"berth-planning","id":"board"},"page":{"token":"`+first.Page.Next+`"}}`); status != 400 {
		t.Errorf("another search goes on: %d %s", status, text)
	}
	r, err := http.Get(s.Base + "/access/v1/evaluation")
	if err != nil || r.StatusCode != 405 && r.StatusCode != 401 {
		t.Errorf("%v, %v", r.Status, err)
	}
}
