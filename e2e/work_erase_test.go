package e2e

import (
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Whoever has departed can be erased: no answer names them any more, today or on
// any past day, here or at another service; what they held is still answered, and
// the ledger verifies, before and after a restart.
func TestADepartedUserIsErased(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	other := testkit.Serve(t, database)
	x := at(t, s, demo.Administrator)
	x.says(0, "Wanda Okoro", "users", "add", "wanda.okoro", "-name", "Wanda Okoro", "-unit", "terminal/cranes", "-title", "Crane operator", "-role", "crane-control/operator", "-reason", "Joins")
	x.says(3, "has not departed", "users", "erase", "wanda.okoro", "-reason", "Asked for")
	x.says(0, "Wanda Okoro departed", "users", "change", "wanda.okoro", "-status", "departed", "-reason", "Leaves")
	marta := s.SignIn(t, demo.Administrator)
	// What is kept beside the ledger names her too.
	ready := acknowledged(changeOf("A part of the work", `{"op":"add_role","key":"crane-help","label":"Crane help"}`, `{"op":"add_permission","role":"crane-help","application":"able-roster","actions":["read","update"],"pattern":"users"}`,
		`{"op":"grant","user":"ines.halloran","role":"crane-help","scopes":[{"application":"able-roster","pattern":"users/terminal"}]}`), "administering_gain")
	if _, err := marta.Change(ctx, ready, false); err != nil {
		t.Fatal(err)
	}
	ines := s.SignIn(t, demo.Pilot)
	move := changeOf("Wanda Okoro comes to us", `{"op":"update_user","user":"wanda.okoro","unit":"marine"}`)
	_, err := ines.Change(ctx, move, false)
	problem(t, err, 403, "refused")
	for _, reason := range []string{"Wanda Okoro comes to us", "She comes to us"} {
		if _, err := ines.AddPendingChange(ctx, wire.PendingChangeRequest{Reason: reason, Lines: []wire.PendingLine{{Operations: move.Operations}}}); err != nil {
			t.Fatal(err)
		}
	}
	if err := marta.RefusePendingChange(ctx, "pending-change-1", "Okoro stays"); err != nil {
		t.Fatal(err)
	}
	for key, v := range map[string]wire.ViewRequest{
		"cranes":           {Label: "Cranes", Search: wire.ViewSearch{Filter: `display_name eq "Wanda Okoro"`}},
		"hers":             {Label: "As Wanda Okoro", Shared: true, Search: wire.ViewSearch{Unit: "terminal"}},
		"wanda-okoro":      {Label: "x", Search: wire.ViewSearch{Unit: "terminal"}},
		"of-somebody-else": {Label: "Wandas", Search: wire.ViewSearch{Query: "wanda"}},
	} {
		if err := marta.PutView(ctx, key, v); err != nil {
			t.Fatal(key, err)
		}
	}
	beside := func() (out string) {
		for _, path := range []string{"/refusals", "/pending-changes", "/views"} {
			for _, c := range []*client.Client{marta, ines} {
				_, body := raw(t, c, path)
				out += strings.ToLower(body)
			}
		}
		return out
	}
	if n := strings.Count(beside(), "okoro"); n < 8 {
		t.Fatalf("she is named %d times beside the ledger", n)
	}
	u, err := marta.User(ctx, "wanda.okoro", nil)
	if err != nil {
		t.Fatal(err)
	}
	x.says(0, "Erased the personal values of a departed user", "users", "erase", "wanda.okoro", "-reason", "Asked for")
	x.says(3, "there is no user “wanda.okoro”", "users", "show", "wanda.okoro")
	if text := beside(); strings.Contains(text, "okoro") || !strings.Contains(text, "withdrawn") {
		t.Errorf("beside the ledger there stays %s", text)
	}
	if views, err := marta.Views(ctx); err != nil || len(views.Views) != 1 || views.Views[0].Key != "of-somebody-else" {
		t.Errorf("of the views there stay %+v (%v)", views.Views, err)
	}
	x.says(0, "a departed user", "users", "show", u.ID)
	x.says(0, "so already", "users", "erase", u.ID, "-reason", "Twice")
	x.says(0, "The ledger verifies", "ledger", "verify")
	silentOf := func(s *testkit.Service, when string) {
		t.Helper()
		c := s.SignIn(t, demo.Administrator)
		c.AtLeast = u.Revision + 1
		for _, path := range []string{"/users?limit=500&q=okoro", "/users/" + u.ID, "/users/" + u.ID + "/access", "/users/" + u.ID + "/timeline", "/revisions?limit=20", "/revisions?user=" + u.ID, "/users.csv",
			"/users/" + u.ID + "?as_of=" + strings.ReplaceAll(u.At.Format("2006-01-02T15:04:05.999999Z07:00"), "+", "%2B"), "/findings?limit=500", "/gained-and-lost?from=2026-01-01T00:00:00Z&user=" + u.ID} {
			status, body := raw(t, c, path)
			if status >= 300 || strings.Contains(strings.ToLower(body), "okoro") {
				t.Errorf("%s, %s: %d names who was erased", when, path, status)
			}
		}
		life, err := c.Timeline(ctx, u.ID)
		if err != nil || len(life.Roles) == 0 {
			t.Errorf("%s: what was held is gone (%v)", when, err)
		}
	}
	silentOf(s, "here")
	silentOf(other, "at another service")
	s.Stop(t)
	again := testkit.Serve(t, database)
	silentOf(again, "after a restart")
	if v, err := again.SignIn(t, demo.Administrator).Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v (%v)", v, err)
	}
	var c *client.Client = again.SignIn(t, demo.Administrator)
	if _, err := c.Change(ctx, changeOf("Erased by one of them", `{"op":"erase_user","user":"ines.halloran"}`), false); err == nil {
		t.Error("somebody who is here was erased")
	}
}
