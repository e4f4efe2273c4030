package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// anybodys are operations that need no right in Able Roster: asking for what is
// offered.
var anybodys = []string{"request_role"}

// No operation of any kind is made, nor looked at beforehand, by somebody who may
// read but not write, who owns another application, or who has no part at all:
// neither by itself nor hidden among what they may do. The refusal names nobody
// whom they may not read, is recorded, and leaves everything as it is.
func TestNoOperationIsMadeByWhoMayNot(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	makeWay(t, marta)
	roles, err := os.ReadFile(filepath.Join(testkit.Root(), "docs/examples/ready-made-roles.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := marta.LoadRosterFile(ctx, roles, client.Query{"reason": "Parts of the work"}); err != nil {
		t.Fatal(err)
	}
	all, err := marta.Users(ctx, client.Query{"limit": "500"})
	if err != nil {
		t.Fatal(err)
	}
	who := map[string]string{"only.reads": "ledger-auditor", "owns.another": "application-owner", "has.nothing": ""}
	for name, role := range who {
		ops := []string{fmt.Sprintf(`{"op":"add_user","user_name":%q,"unit":"customs"}`, name)}
		if role != "" {
			ops = append(ops, fmt.Sprintf(`{"op":"grant","user":%q,"role":%q,"scopes":[{"application":"able-roster","pattern":"applications/sounding-surveys"},{"application":"able-roster","pattern":"ledger"}]}`, name, role))
		}
		if _, err := marta.Change(ctx, acknowledged(changeOf("A part of the work", ops...), "administering_gain"), false); err != nil {
			t.Fatal(name, err)
		}
		testkit.LetIn(t, marta, name, demo.Password)
	}
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	refused := 0
	for name := range who {
		c := s.SignIn(t, name)
		for _, text := range samples {
			text = strings.ReplaceAll(text, "$soon", soon)
			var op struct{ Op string }
			if err := json.Unmarshal([]byte(text), &op); err != nil {
				t.Fatal(err)
			}
			if slices.Contains(anybodys, op.Op) {
				continue
			}
			for how, body := range map[string]string{
				"looked at": `{"operations":[` + text + `]}`,
				"made":      `{"reason":"x","operations":[` + text + `],"acknowledge":["wide_gain","wide_loss","gain_for_everybody","administering_gain","leaving_live"]}`,
				"hidden":    `{"reason":"x","operations":[{"op":"request_role","role":"gate-passes/issuer","user":"` + name + `","until":"` + soon + `"},` + text + `]}`,
			} {
				path := "/changes"
				if how == "looked at" {
					path += "?dry_run=true"
				}
				status, _, raw := ask(t, c, "POST", path, body)
				if status != 403 && status != 422 && status != 404 {
					t.Errorf("%s by %s, %s: %d %.300s", op.Op, name, how, status, raw)
					continue
				}
				refused++
				silent(t, all.Users, func(u wire.User) bool { return u.UserName == name || strings.Contains(text, `"`+u.UserName+`"`) }, name+" tries "+text, text, string(raw))
			}
		}
	}
	after, err := marta.Me(ctx)
	if err != nil || after.Revision != head.Revision {
		t.Errorf("from revision %d to %d (%v)", head.Revision, after.Revision, err)
	}
	told, err := marta.Refusals(ctx)
	if err != nil || len(told.Refusals) == 0 {
		t.Errorf("no refusal was recorded (%v)", err)
	}
	if refused < 400 {
		t.Errorf("%d refused", refused)
	}
}
