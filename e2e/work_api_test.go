package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

var ctx = context.Background()

func changeOf(reason string, ops ...string) wire.ChangeRequest {
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

func TestEverydayWorkByAPI(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	req := changeOf("Joins the tugs", `{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick","unit":"marine/tugs"}`,
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
	if _, err := marta.Change(ctx, changeOf("Back", revokeOf("zoe.marrick", "cargo-manifests/clerk")), false); err != nil {
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
	v, err := marta.Verify(ctx, nil)
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
	if _, err := tomas.Change(ctx, changeOf("Meanwhile", grantTo(demo.Pilot, "berth-planning/planner")), false); err != nil {
		t.Fatal(err)
	}
	req := changeOf("Tidying up", revokeOf(demo.Pilot, "berth-planning/scheduler"))
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
	req = changeOf("Somebody else", grantTo("b.osei", "tide-board/editor"))
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
	in := changeOf("Once", `{"op":"add_group","key":"regatta"}`)
	first, status := post("k-1", in)
	again, status2 := post("k-1", in)
	if status != 200 || status2 != 200 || !again.Repeated || again.Revision != first.Revision {
		t.Errorf("%d %+v, then %d %+v", status, first, status2, again)
	}
	if _, status := post("k-1", changeOf("Once", `{"op":"add_group","key":"regatta-crew"}`)); status != 422 {
		t.Errorf("the key with another body: %d", status)
	}
	held, err := marta.Change(ctx, changeOf("Again", grantTo(demo.Pilot, "tariff-ledger/reader")), false)
	if err != nil || !held.Unchanged || len(held.Notes) != 1 || held.Notes[0].Since.By.Key != demo.Administrator || held.Revision != first.Revision {
		t.Errorf("granting what is held: %+v %v", held, err)
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
