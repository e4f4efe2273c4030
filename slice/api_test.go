package slice

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
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

var ctx = context.Background()

func change(reason string, ops ...string) wire.ChangeRequest {
	req := wire.ChangeRequest{Reason: reason}
	for _, op := range ops {
		req.Operations = append(req.Operations, json.RawMessage(op))
	}
	return req
}

func grantTo(user, role string) string {
	return fmt.Sprintf(`{"op":"grant","user":%q,"role":%q}`, user, role)
}

func revokeOf(user, role string) string {
	return fmt.Sprintf(`{"op":"revoke","user":%q,"role":%q}`, user, role)
}

// problem is the problem a call must have come back with.
func problem(t *testing.T, err error, status int, kind string) *wire.Problem {
	t.Helper()
	var p *wire.Problem
	if !errors.As(err, &p) || p.Status != status || p.Type != kind {
		t.Fatalf("%v (%+v), want %d %s", err, p, status, kind)
	}
	return p
}

func allowed(t *testing.T, c *client.Client, user, app, action, path string) bool {
	t.Helper()
	a, err := c.Check(ctx, wire.CheckRequest{User: user, Application: app, Action: action, Path: path})
	if err != nil {
		t.Fatal(err)
	}
	return a.Allowed
}

func TestTheSliceByAPI(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	req := change("Joins the tugs", `{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick","unit":"marine/tugs"}`,
		`{"op":"add_member","group":"pilots","user":"zoe.marrick"}`, grantTo("zoe.marrick", "cargo-manifests/clerk"))
	would, err := marta.Change(ctx, req, true)
	if err != nil || would.Preview.UsersGaining != 1 || would.Preview.Gained < 10 || len(would.Sentences) != 3 {
		t.Fatalf("%+v %v", would, err)
	}
	if _, err := marta.User(ctx, "zoe.marrick", nil); err == nil {
		t.Fatal("a dry run added a user")
	}
	did, err := marta.Change(ctx, req, false)
	if err != nil || did.Revision != head.Revision+1 {
		t.Fatalf("%+v %v", did, err)
	}
	if a, b := fmt.Sprint(would.Preview.Gained, would.Preview.Lost), fmt.Sprint(did.Preview.Gained, did.Preview.Lost); a != b {
		t.Errorf("the preview said %s, the commit %s", a, b)
	}
	access, err := marta.Access(ctx, "zoe.marrick", nil)
	if err != nil || access.Things != would.Preview.Gained {
		t.Errorf("%d things, the preview said %d (%v)", access.Things, would.Preview.Gained, err)
	}
	if !allowed(t, marta, "zoe.marrick", "cargo-manifests", "create", "manifests") {
		t.Error("granted and denied")
	}
	if _, err := marta.Change(ctx, change("Back", revokeOf("zoe.marrick", "cargo-manifests/clerk")), false); err != nil {
		t.Fatal(err)
	}
	if allowed(t, marta, "zoe.marrick", "cargo-manifests", "create", "manifests") {
		t.Error("revoked and allowed")
	}
	// Both acts are in the ledger; in between it is still as it was.
	revs, err := marta.Revisions(ctx, client.Query{"user": "zoe.marrick"})
	if err != nil || len(revs.Revisions) != 2 || revs.Revisions[0].Reason != "Back" || revs.Revisions[1].Via != "API" || revs.Revisions[1].By.Key != demo.Administrator {
		t.Errorf("%+v %v", revs.Revisions, err)
	}
	then, err := marta.Access(ctx, "zoe.marrick", client.Query{}.AsOf(*did.At))
	if err != nil || !then.AsOf || then.Things != access.Things {
		t.Errorf("as of then: %d things, as of %v (%v)", then.Things, then.AsOf, err)
	}
	v, err := marta.Verify(ctx)
	if err != nil || !v.Verified || v.Revision != head.Revision+2 {
		t.Errorf("%+v %v", v, err)
	}
}

// The second of two administrators who change the same is told what moved.
func TestTheSecondIsToldWhatMoved(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	seen, err := marta.User(ctx, demo.Pilot, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tomas.Change(ctx, change("Meanwhile", grantTo(demo.Pilot, "berth-planning/planner")), false); err != nil {
		t.Fatal(err)
	}
	req := change("Tidying up", revokeOf(demo.Pilot, "berth-planning/scheduler"))
	req.BasedOn = seen.Revision
	_, err = marta.Change(ctx, req, false)
	p := problem(t, err, 409, "moved")
	if len(p.Moved) != 1 || p.Moved[0].By.Key != demo.Manager || !strings.Contains(p.Detail, "Granted Week planner to Inês Halloran") {
		t.Errorf("%+v", p)
	}
	req.BasedOn = p.Moved[0].Revision
	if _, err := marta.Change(ctx, req, false); err != nil {
		t.Errorf("having looked again: %v", err)
	}
	// What moved elsewhere is nobody's concern.
	req = change("Somebody else", grantTo("b.osei", "tide-board/editor"))
	req.BasedOn = seen.Revision
	if _, err := marta.Change(ctx, req, false); err != nil {
		t.Error(err)
	}
}

func TestAskingTwiceIsSafe(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	post := func(key string, in wire.ChangeRequest) (out wire.ChangeResult, status int) {
		raw, _ := json.Marshal(in)
		req, _ := http.NewRequest("POST", s.Base+"/api/v1/changes", bytes.NewReader(raw))
		req.Header.Set("Authorization", "Bearer "+marta.Token)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Idempotency-Key", key)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		_ = json.NewDecoder(resp.Body).Decode(&out)
		return out, resp.StatusCode
	}
	in := change("Once", `{"op":"add_group","key":"regatta"}`)
	first, status := post("k-1", in)
	again, status2 := post("k-1", in)
	if status != 200 || status2 != 200 || !again.Repeated || again.Revision != first.Revision {
		t.Errorf("%d %+v, then %d %+v", status, first, status2, again)
	}
	if _, status := post("k-1", change("Once", `{"op":"add_group","key":"regatta-crew"}`)); status != 409 {
		t.Errorf("the key with another body: %d", status)
	}
	held, err := marta.Change(ctx, change("Again", grantTo(demo.Pilot, "tariff-ledger/reader")), false)
	if err != nil || !held.Unchanged || len(held.Notes) != 1 || held.Notes[0].Since.By.Key != demo.Administrator || held.Revision != first.Revision {
		t.Errorf("granting what is held: %+v %v", held, err)
	}
}

// Every answer of the API fits the schema its document gives.
func TestAnswersFitTheDocument(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	call := func(method, path, body string) (int, []byte) {
		t.Helper()
		req, _ := http.NewRequest(method, s.Base+path, strings.NewReader(body))
		req.Header.Set("Authorization", "Bearer "+marta.Token)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		raw, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, raw
	}
	_, raw := call("GET", "/api/v1/openapi.json", "")
	doc, err := openapi3.NewLoader().LoadFromData(raw)
	if err != nil {
		t.Fatal(err)
	}
	past := url.QueryEscape(time.Now().AddDate(0, -5, 0).Format(time.RFC3339))
	for _, x := range []struct{ entry, path, body string }{
		{"GET /api/v1/me", "/api/v1/me", ""},
		{"GET /api/v1/users", "/api/v1/users?limit=500&as_of=" + past, ""},
		{"GET /api/v1/users", "/api/v1/users?q=hallo&sort=-unit", ""},
		{"GET /api/v1/users", "/api/v1/users?q=nobodyiscalledthat", ""},
		{"GET /api/v1/users/{user}", "/api/v1/users/ines.halloran", ""},
		{"GET /api/v1/users/{user}", "/api/v1/users/berth-board?as_of=" + past, ""},
		{"GET /api/v1/users/{user}/access", "/api/v1/users/ines.halloran/access", ""},
		{"GET /api/v1/groups", "/api/v1/groups", ""},
		{"GET /api/v1/groups/{group}", "/api/v1/groups/pilots", ""},
		{"GET /api/v1/applications", "/api/v1/applications", ""},
		{"GET /api/v1/applications/{application}", "/api/v1/applications/berth-planning", ""},
		{"GET /api/v1/roles", "/api/v1/roles", ""},
		{"GET /api/v1/roles/{role}", "/api/v1/roles/berth-planning%2Fscheduler", ""},
		{"GET /api/v1/assignments", "/api/v1/assignments?user=ines.halloran", ""},
		{"GET /api/v1/assignments/{assignment}", "/api/v1/assignments/assignment-1", ""},
		{"GET /api/v1/grid", "/api/v1/grid?application=berth-planning&limit=20", ""},
		{"GET /api/v1/holders", "/api/v1/holders?application=tide-board&action=read&path=/&limit=20", ""},
		{"GET /api/v1/holders", "/api/v1/holders?application=gate-passes&action=issue&path=barriers&as_of=" + past, ""},
		{"GET /api/v1/roles/{role}/holders", "/api/v1/roles/tariff-ledger%2Fcredit-releaser/holders", ""},
		{"GET /api/v1/between", "/api/v1/between?from=" + past + "&limit=20", ""},
		{"GET /api/v1/between", "/api/v1/between?from=" + past + "&user=ines.halloran", ""},
		{"GET /api/v1/users/{user}/timeline", "/api/v1/users/ines.halloran/timeline?application=berth-planning&action=update&path=berths", ""},
		{"POST /api/v1/checks", "/api/v1/checks", `{"checks":[{"user":"ines.halloran","application":"pilot-roster","action":"update","path":"shifts","properties":{"owner":"ines.halloran"}},{"application":"tide-board","action":"read","path":"/"}]}`},
		{"POST /api/v1/what-if", "/api/v1/what-if", `{"operations":[{"op":"grant","user":"ines.halloran","role":"crane-control/operator"}],"checks":[{"user":"ines.halloran","application":"crane-control","action":"operate","path":"cranes"}],"access":"ines.halloran"}`},
		{"GET /api/v1/find", "/api/v1/find?q=hal", ""},
		{"GET /api/v1/menu", "/api/v1/menu?application=berth-planning&user=ines.halloran", ""},
		{"GET /api/v1/revisions", "/api/v1/revisions?limit=100", ""},
		{"GET /api/v1/revisions/{revision}", "/api/v1/revisions/1", ""},
		{"GET /api/v1/tokens", "/api/v1/tokens", ""},
		{"GET /api/v1/set-up", "/api/v1/set-up", ""},
		{"POST /api/v1/check", "/api/v1/check", `{"user":"ines.halloran","application":"berth-planning","action":"update","path":"berths/north-1","explain":true}`},
		{"POST /api/v1/check", "/api/v1/check", `{"application":"tide-board","action":"read","path":"/"}`},
		{"POST /api/v1/changes", "/api/v1/changes?dry_run=true", `{"operations":[{"op":"grant","user":"ines.halloran","role":"access-administrator"},{"op":"revoke","user":"ines.halloran","role":"tariff-ledger/reader"}]}`},
		{"POST /api/v1/changes", "/api/v1/changes", `{"reason":"x","operations":[{"op":"grant","user":"nobody","role":"nothing"}]}`},
		{"POST /api/v1/ledger/verification", "/api/v1/ledger/verification", ""},
		{"GET /api/v1/users/{user}", "/api/v1/users/nobody.here", ""},
	} {
		method, entry, _ := strings.Cut(x.entry, " ")
		status, raw := call(method, x.path, x.body)
		responses := doc.Paths.Value(entry).GetOperation(method).Responses
		answer, kind := responses.Status(status), "application/json"
		if answer == nil {
			answer = responses.Default()
		}
		if status >= 300 {
			kind = "application/problem+json"
		}
		if answer == nil || answer.Value.Content[kind] == nil {
			t.Errorf("%s: the document has no %s for %d", x.entry, kind, status)
			continue
		}
		var value any
		if err := json.Unmarshal(raw, &value); err != nil {
			t.Errorf("%s: %v", x.path, err)
			continue
		}
		if err := answer.Value.Content[kind].Schema.Value.VisitJSON(value); err != nil {
			t.Errorf("%s (%d): %v", x.path, status, err)
		}
	}
}

// Long lists come page by page, every row once.
func TestPagesHaveEveryRowOnce(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	seen := map[string]bool{}
	q := client.Query{"limit": "37", "sort": "-unit"}
	for {
		page, err := marta.Users(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		for _, u := range page.Users {
			if seen[u.ID] {
				t.Fatalf("%s comes twice", u.UserName)
			}
			seen[u.ID] = true
		}
		if page.Next == "" {
			if len(seen) != page.Total {
				t.Errorf("%d of %d users came", len(seen), page.Total)
			}
			break
		}
		q["cursor"] = page.Next
	}
	next, last := "", int64(0)
	for n := 0; ; n++ {
		page, err := marta.Revisions(ctx, client.Query{"limit": "100", "cursor": next})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range page.Revisions {
			if last != 0 && r.Revision != last-1 {
				t.Fatalf("revision %d comes after %d", r.Revision, last)
			}
			last = r.Revision
		}
		if next = page.Next; next == "" {
			break
		}
	}
	if last != 1 {
		t.Errorf("the last page ends at revision %d", last)
	}
}
