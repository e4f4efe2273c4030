package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// A token that is for something alone is good for nothing else, whatever its account may do, after
// the service starts anew too.
func TestATokenIsNarrowerThanItsAccount(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	tokens := map[string]string{}
	for _, only := range []string{"", "reading", "decisions", "people"} {
		var made wire.Token
		if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "for " + only, Only: only}, &made); err != nil || made.Only != only {
			t.Fatal(made, err)
		}
		tokens[only] = made.Secret
	}
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "x", Only: "everything"}, nil); err == nil {
		t.Error("a token is for what is not there")
	}
	// A token that was made, and not got by signing in, makes no other before its person has confirmed.
	whole := s.Client(tokens[""])
	problem(t, whole.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "x"}, nil), 403, "confirmation-needed")
	if err := whole.ConfirmIdentity(ctx, wire.Confirmation{Password: demo.Password}); err != nil {
		t.Fatal(err)
	}
	question := `{"user":"` + demo.Pilot + `","application":"berth-planning","action":"read","path":"board"}`
	evaluation := `{"subject":{"type":"user","id":"` + demo.Pilot + `"},"action":{"name":"read"},"resource":{"type":"berth-planning","id":"board"}}`
	change := `{"reason":"x","operations":[{"op":"add_group","key":"%s","label":"x"}]}`
	group := `{"schemas":["` + scimGroup + `"],"displayName":"%s"}`
	look := func() {
		t.Helper()
		for i, x := range []struct {
			method, path, body string
			good               string
		}{
			{"GET", "/api/v1/users", "", "reading"},
			{"GET", "/api/v1/tokens", "", "reading"},
			{"POST", "/api/v1/check", question, "reading decisions"},
			{"POST", "/api/v1/checks", `{"checks":[` + question + `]}`, "reading decisions"},
			{"GET", "/api/v1/menu?application=berth-planning&user=" + demo.Pilot, "", "reading decisions"},
			{"POST", "/access/v1/evaluation", evaluation, "reading decisions"},
			{"GET", "/scim/v2/Users", "", "reading people"},
			{"POST", "/scim/v2/Groups", group, "people"},
			{"POST", "/api/v1/changes", change, ""},
			{"POST", "/api/v1/tokens", `{"label":"wider"}`, ""},
		} {
			for only, token := range tokens {
				body := x.body
				if strings.Contains(body, "%s") {
					body = fmt.Sprintf(body, fmt.Sprintf("narrow-%d-a%s-%d", i, only, time.Now().UnixNano()))
				}
				status, _, _ := send(t, x.method, s.Base+x.path, token, "application/json", body)
				if want := only == "" || strings.Contains(" "+x.good+" ", " "+only+" "); want != (status < 300) || !want && status != 403 {
					t.Errorf("%s %s with a token for %q: %d", x.method, x.path, only, status)
				}
			}
		}
	}
	look()
	s.Stop(t)
	s = testkit.Serve(t, database)
	look()
}
