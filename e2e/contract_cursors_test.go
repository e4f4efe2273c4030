package e2e

import (
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Lists of several pages are whole and without doubles while things change under them; a cursor
// goes with its question alone, and ends with a plain sentence.
func TestPagesAreWholeWhileThingsChange(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s, other := testkit.Serve(t, database), testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	all, err := marta.Users(ctx, client.Query{"limit": "500", "status": "active"})
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	change := func() { // names move through the order, roles come and go, and a request is decided
		n++
		ops := []string{fmt.Sprintf(`{"op":"update_user","user":%q,"display_name":"%c moved %d"}`, all.Users[20+n].ID, 'A'+(n*7)%26, n)}
		if n%2 == 0 {
			ops = append(ops, fmt.Sprintf(`{"op":"grant","user":%q,"role":"tide-board/editor"}`, all.Users[150+n].ID), fmt.Sprintf(`{"op":"add_user","user_name":"hand.%d"}`, n))
		}
		if _, err := marta.Change(ctx, changeOf("Things change", ops...), false); err != nil {
			t.Fatal(err)
		}
	}
	for path, list := range map[string]string{"/users": "users", "/users?sort=-unit&status=active": "users", "/grid?application=berth-planning": "rows", "/assignments": "assignments", "/holders?application=incident-log&action=read&path=/": "holders",
		"/roles/staff/holders": "holders", "/groups/terminal-staff/members": "members", "/requests": "requests", "/gained-and-lost?from=2026-01-01T00:00:00Z": "users", "/reviews/marine-winter/items": "items", "/revisions": "revisions", "/findings": "findings"} {
		ask := func(cursor string) (rows []json.RawMessage, next string, revision int64) {
			t.Helper()
			at := path
			if !strings.Contains(at, "?") {
				at += "?"
			}
			at += "&limit=9"
			if cursor != "" {
				at += "&cursor=" + url.QueryEscape(cursor)
			}
			got := asks(t, s, marta.Token, "GET", strings.Replace(at, "?&", "?", 1), "")
			var body map[string]json.RawMessage
			if err := json.Unmarshal(got.body, &body); err != nil || got.status != 200 {
				t.Fatalf("%s: %d %s", at, got.status, got.body)
			}
			_ = json.Unmarshal(body[list], &rows)
			_ = json.Unmarshal(body["next"], &next)
			_ = json.Unmarshal(body["revision"], &revision)
			return rows, next, revision
		}
		whole, next, _ := ask("")
		for next != "" { // nothing changes
			var rows []json.RawMessage
			rows, next, _ = ask(next)
			whole = append(whole, rows...)
		}
		again, next, first := ask("")
		for turns := 0; next != ""; turns++ {
			if turns < 6 {
				change()
			}
			var rows []json.RawMessage
			var revision int64
			if rows, next, revision = ask(next); revision != first && list != "revisions" {
				t.Errorf("%s: a page of revision %d after one of %d", path, revision, first)
			}
			again = append(again, rows...)
		}
		if strings.HasPrefix(path, "/gained-and-lost") || list == "findings" { // by an instant of now, which has moved on
			if len(again) != len(whole) {
				t.Errorf("%s: %d rows, and while things change %d", path, len(whole), len(again))
			}
			continue
		}
		if !slices.EqualFunc(whole, again, func(a, b json.RawMessage) bool { return rowOf(t, a) == rowOf(t, b) }) {
			t.Errorf("%s: %d rows, and while things change %d, not the same", path, len(whole), len(again))
		}
	}

	_, page := asks(t, s, marta.Token, "GET", "/users?limit=9", ""), wire.UserList{}
	if err := json.Unmarshal(asks(t, s, marta.Token, "GET", "/users?limit=9", "").body, &page); err != nil {
		t.Fatal(err)
	}
	for what, path := range map[string]string{"another question": "/users?unit=marine", "another order": "/users?sort=unit", "another list": "/assignments", "nonsense": "/users?cursor=nonsense"} {
		if !strings.Contains(path, "cursor") {
			path += map[bool]string{true: "&", false: "?"}[strings.Contains(path, "?")] + "cursor=" + page.Next
		}
		p := &wire.Problem{}
		got := asks(t, s, marta.Token, "GET", path, "")
		if err := json.Unmarshal(got.body, p); err != nil || got.status != 422 || len(p.Faults) != 1 || p.Faults[0].Place != "cursor" || !strings.Contains(p.Faults[0].Message, "begin again") {
			t.Errorf("%s: %d %s", what, got.status, got.body)
		}
	}
	tomas := s.SignIn(t, demo.Manager)
	if _, err := tomas.Users(ctx, client.Query{"cursor": page.Next}); err == nil {
		t.Error("a cursor of somebody else's is taken")
	}
	// Another service on the same database goes on with it, while it has the snapshot at hand.
	if _, err := (&client.Client{Base: other.Base, Token: marta.Token}).Users(ctx, client.Query{"cursor": page.Next, "limit": "9"}); err != nil {
		t.Error(err)
	}
	// Once somebody was erased no older name is told.
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"hand.2","status":"departed"}`, `{"op":"erase_user","user":"hand.2"}`), false); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Users(ctx, client.Query{"cursor": page.Next}); err == nil {
		t.Error("a list from before an erasure goes on")
	} else {
		problem(t, err, 422, "invalid")
	}
}

// rowOf says what a row is of, whatever it is called by now.
func rowOf(t *testing.T, raw json.RawMessage) string {
	t.Helper()
	var row struct {
		ID       string              `json:"id"`
		Revision int64               `json:"revision"`
		User     struct{ ID string } `json:"user"`
		Role     struct{ ID string } `json:"role"`
	}
	if err := json.Unmarshal(raw, &row); err != nil {
		t.Fatalf("%s: %v", raw, err)
	}
	of := fmt.Sprint(row)
	if of == fmt.Sprint(struct {
		ID, Kind string
		Revision int64
		User     struct{ ID string }
		Role     struct{ ID string }
	}{}) {
		t.Fatalf("nothing says what the row is of: %s", raw)
	}
	return of
}

// What was made is there at the instant that it was answered with, and no more of what followed:
// also where many make something at once.
func TestAnInstantIsOfOneRevision(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	made := make(chan wire.ChangeResult)
	const hands, each = 12, 10
	for h := range hands {
		go func() {
			for i := range each {
				r, err := marta.Change(ctx, changeOf("At once", fmt.Sprintf(`{"op":"add_group","key":"desk-%d-%d"}`, h, i)), false)
				if err != nil {
					t.Error(err)
				}
				made <- r
			}
		}()
	}
	seen := map[int64]bool{}
	for range hands * each {
		r := <-made
		if seen[r.Revision] || r.At == nil {
			t.Fatalf("revision %d twice", r.Revision)
		}
		seen[r.Revision] = true
		past, err := marta.Groups(ctx, client.Query{}.AsOf(*r.At))
		if err != nil || past.Revision != r.Revision {
			t.Errorf("revision %d was made at %s, and what was then is revision %d (%v)", r.Revision, r.At, past.Revision, err)
		}
	}
}
