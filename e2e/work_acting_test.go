package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// Whoever may act for nobody does not, and is not told who there is; nor is a call made for
// somebody that is not meant for it.
func TestWhoActsForWhom(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	board := boardOf(t, s, marta)
	ask := func(c *client.Client, method, path, body string) (int, string) {
		t.Helper()
		req, err := http.NewRequestWithContext(ctx, method, s.Base+path, bytes.NewReader([]byte(body)))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+c.Token)
		req.Header.Set("Roster-Acting-For", c.ActingFor)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		raw, _ := io.ReadAll(resp.Body)
		var p wire.Problem
		_ = json.Unmarshal(raw, &p)
		return resp.StatusCode, p.Detail
	}
	body := `{"operations":[` + shareOf("berths/north-1", "b.osei") + `],"reason":"x"}`
	if status, said := ask(actingFor(marta, demo.Pilot), "POST", "/api/v1/changes", body); status != 403 || !strings.Contains(said, "may act for nobody") {
		t.Errorf("a person: %d %s", status, said)
	}
	suspended := `{"op":"update_user","user":"` + demo.Pilot + `","status":"suspended"}`
	if _, err := marta.Change(ctx, changeOf("x", suspended), false); err != nil {
		t.Fatal(err)
	}
	_, nobody := ask(actingFor(board, "nobody.there"), "POST", "/api/v1/changes", body)
	for _, who := range []string{demo.Pilot, demo.BerthBoard, "manifest-feed", "public", "1", "user-0"} {
		if status, said := ask(actingFor(board, who), "POST", "/api/v1/changes", body); status != 403 || strings.ReplaceAll(said, who, "nobody.there") != nobody {
			t.Errorf("%s: %d %s, and of nobody: %s", who, status, said, nobody)
		}
	}
	for _, x := range []string{"GET /api/v1/users", "GET /api/v1/me", "POST /api/v1/tokens", "POST /api/v1/pending-changes", "POST /api/v1/check", "POST /access/v1/evaluation", "GET /scim/v2/Users", "DELETE /api/v1/me/sessions/1"} {
		method, path, _ := strings.Cut(x, " ")
		if status, said := ask(actingFor(board, demo.Manager), method, path, `{}`); status != 422 && status != 400 {
			t.Errorf("%s: %d %s", x, status, said)
		}
	}
	// It is within the account's part: whom it may not see it does not act for.
	if _, err := marta.Change(ctx, changeOf("A part", `{"op":"revoke","role":"berth-board-service","user":"`+demo.BerthBoard+`"}`,
		`{"op":"grant","role":"berth-board-service","user":"`+demo.BerthBoard+`","scopes":[{"application":"able-roster","pattern":"users/finance"},{"application":"able-roster","pattern":"roles"},{"application":"able-roster","pattern":"applications"}]}`), false); err != nil {
		t.Fatal(err)
	}
	if status, said := ask(actingFor(board, demo.Manager), "POST", "/api/v1/changes", body); status != 403 || strings.ReplaceAll(said, demo.Manager, "nobody.there") != nobody {
		t.Errorf("outside its part: %d %s", status, said)
	}
}

// What an account does for somebody is judged by what both may when it is made, not when it was
// asked for: who takes a right away meanwhile, and is answered, has taken it.
func TestARightThatIsTakenMeanwhileIsNotUsedForAnybody(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database, "-monitor-listen", "127.0.0.1:0")
	marta := s.SignIn(t, demo.Administrator)
	tomas := actingFor(boardOf(t, s, marta), demo.Manager)
	if _, err := marta.Change(ctx, changeOf("The first", `{"op":"add_user","user_name":"the.first"}`), false); err != nil {
		t.Fatal(err)
	}
	metrics := regexp.MustCompile(`address=(http://[^ ]*/metrics)`).FindStringSubmatch(s.Output())
	judged := func() int {
		n, err := strconv.Atoi(regexp.MustCompile(`able_roster_commit_step_seconds_count{step="judge"} (\d+)`).FindStringSubmatch(read(t, http.DefaultClient, metrics[1], 200))[1])
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	grant := changeOf("On the berth board", `{"op":"grant","role":"`+sharedRole+`","user":"`+demo.Pilot+`"}`)
	for _, x := range []struct{ whose, role, user string }{
		{"the person's", "marine-manager", demo.Manager}, {"the account's", "berth-board-service", demo.BerthBoard},
	} {
		if dry, err := tomas.Change(ctx, grant, true); err != nil {
			t.Fatalf("%s: %+v %v", x.whose, dry, err)
		}
		held, err := conn.Begin(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := held.Exec(ctx, "set local idle_in_transaction_session_timeout = 0; select from ledger_head for update"); err != nil {
			t.Fatal(err)
		}
		before, taken, done := judged(), make(chan error, 1), make(chan error, 1)
		take, give := changeOf("Taken", `{"op":"revoke","role":"`+x.role+`","user":"`+x.user+`"}`), changeOf("Given back", `{"op":"grant","role":"`+x.role+`","user":"`+x.user+`"}`)
		take.Acknowledge, give.Acknowledge = []string{"application_depends"}, []string{"administering_gain"}
		go func() { _, err := marta.Change(ctx, take, false); taken <- err }()
		testkit.Until(t, "the taking is on its way", func() bool { return judged() == before+1 })
		go func() { _, err := tomas.Change(ctx, grant, false); done <- err }()
		testkit.Until(t, "the granting waits behind it", func() bool { return judged() == before+2 })
		if err := held.Rollback(ctx); err != nil {
			t.Fatal(err)
		}
		if err := <-taken; err != nil {
			t.Fatal(err)
		}
		var p *wire.Problem
		if err := <-done; !errors.As(err, &p) || p.Status != 403 && p.Status != 422 {
			t.Errorf("without %s right: %v", x.whose, err)
		}
		if _, err := marta.Change(ctx, give, false); err != nil {
			t.Fatal(err)
		}
	}
}
