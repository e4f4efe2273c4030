package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// One's own password is changed with the current one; nobody sets another's, but makes
// a link for them, once, and only for whom holds no more than they.
func TestPasswordsAreSetByTheirPersonAlone(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines, marta := s.SignIn(t, demo.Pilot), s.SignIn(t, demo.Administrator)
	own := func(current, next string) error {
		return ines.Do(ctx, "PUT", "/me/password", nil, wire.PasswordRequest{Current: current, New: next}, nil)
	}
	if p := problem(t, own("not the one", "a rope of tides"), 422, "invalid"); p.Faults[0].Place != "/current_password" {
		t.Errorf("%+v", p.Faults)
	}
	for _, bad := range []string{"too short", "passwordpassword", "123456789012", "            ", "ines.halloran1", "qwertyuiop12"} {
		if p := problem(t, own(demo.Password, bad), 422, "invalid"); p.Faults[0].Place != "/new_password" {
			t.Errorf("%q: %+v", bad, p.Faults)
		}
	}
	other := s.SignIn(t, demo.Pilot) // another token of hers
	if err := own(demo.Password, "a rope of tides"); err != nil {
		t.Fatal(err)
	}
	for _, c := range []*client.Client{ines, other} {
		_, err := c.Me(ctx)
		problem(t, err, 401, "not-signed-in") // tokens end with the password
	}
	in := func(name, password string) error {
		_, err := (&client.Client{Base: s.Base}).SignIn(ctx, name, password, "test")
		return err
	}
	problem(t, in(demo.Pilot, demo.Password), 401, "not-signed-in")
	if err := in(demo.Pilot, "a rope of tides"); err != nil {
		t.Error(err)
	}
	// A mere record gets sign-in later.
	list, err := marta.Users(ctx, client.Query{"q": "kvarnstrom", "status": "active"})
	if err != nil || len(list.Users) == 0 {
		t.Fatal(err)
	}
	record := list.Users[0].UserName
	problem(t, in(record, "a rope of tides"), 401, "not-signed-in")
	first, err := marta.MakeSignInLink(ctx, record)
	if err != nil {
		t.Fatal(err)
	}
	second, err := marta.MakeSignInLink(ctx, record)
	if err != nil {
		t.Fatal(err)
	}
	nobody := &client.Client{Base: s.Base}
	code := func(l wire.SignInLink) string { _, c, _ := strings.Cut(l.Path, "#"); return c }
	problem(t, nobody.UseSignInLink(ctx, code(first), "a rope of tides"), 403, "refused") // void by the second
	problem(t, nobody.UseSignInLink(ctx, "made up", "a rope of tides"), 403, "refused")
	problem(t, nobody.UseSignInLink(ctx, code(second), "123456789012"), 422, "invalid") // and still good
	if err := nobody.UseSignInLink(ctx, code(second), "a rope of tides"); err != nil {
		t.Fatal(err)
	}
	problem(t, nobody.UseSignInLink(ctx, code(second), "another rope of tides"), 403, "refused")
	if err := in(record, "a rope of tides"); err != nil {
		t.Error(err)
	}
	// Nobody makes a link for somebody who holds more than they, now or later.
	if _, err := marta.Change(ctx, wire.ChangeRequest{Reason: "Stands in", Acknowledge: []string{"administering_gain"},
		Operations: changeOf("", `{"op":"grant","user":"ines.halloran","role":"auditor","from":"2090-01-01T00:00:00Z"}`).Operations}, false); err != nil {
		t.Fatal(err)
	}
	for user, whom := range map[string]string{demo.Manager: demo.Pilot, demo.Auditor: demo.Pilot} {
		_, err := s.SignIn(t, user).MakeSignInLink(ctx, whom)
		problem(t, err, 403, "refused")
	}
	_, err = marta.MakeSignInLink(ctx, demo.Administrator)
	problem(t, err, 403, "refused")
}

// A password that was set by a link is void once its user holds what whoever made the
// link does not, with the sessions and tokens it opened; what its maker gave themselves
// leaves it good, and so does that the maker leaves.
func TestAPasswordThatALesserOneCouldKnowIsVoid(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	make := func(ops ...string) {
		t.Helper()
		if _, err := marta.Change(ctx, acknowledged(changeOf("x", ops...), "administering_gain", "wide_loss"), false); err != nil {
			t.Fatal(err)
		}
	}
	const password = "a rope of gulls and tides"
	make(`{"op":"add_user","user_name":"odd.rigger","unit":"marine/tugs"}`, `{"op":"add_user","user_name":"even.rigger","unit":"marine/tugs"}`)
	testkit.LetIn(t, tomas, "odd.rigger", password)  // by somebody with a part
	testkit.LetIn(t, marta, "even.rigger", password) // by somebody with all
	clients := map[string]*client.Client{}
	for _, name := range []string{"odd.rigger", "even.rigger"} {
		c := &client.Client{Base: s.Base}
		token, err := c.SignIn(ctx, name, password, "test")
		if err != nil {
			t.Fatal(err)
		}
		c.Token = token.Secret
		clients[name] = c
	}
	// A part of what the maker holds leaves it good.
	make(`{"op":"add_role","key":"deck-reader"}`, `{"op":"add_permission","role":"deck-reader","application":"able-roster","actions":["read"],"pattern":"users/marine/tugs"}`,
		`{"op":"grant","user":"odd.rigger","role":"deck-reader"}`)
	if _, err := clients["odd.rigger"].Me(ctx); err != nil {
		t.Fatal("what the maker holds too made it void:", err)
	}
	make(`{"op":"grant","user":"odd.rigger","role":"auditor","from":"2090-01-01T00:00:00Z"}`, `{"op":"grant","user":"even.rigger","role":"auditor"}`)
	_, err := clients["odd.rigger"].Me(ctx)
	problem(t, err, 401, "not-signed-in")
	testkit.Until(t, "the password to be void", func() bool {
		_, err := (&client.Client{Base: s.Base}).SignIn(ctx, "odd.rigger", password, "test")
		return err != nil
	})
	if _, err := clients["even.rigger"].Me(ctx); err != nil {
		t.Error("what the maker holds too made it void:", err)
	}
	// It stays void when the right is taken back; a new link lets them in.
	make(`{"op":"revoke","user":"odd.rigger","role":"auditor"}`)
	_, err = (&client.Client{Base: s.Base}).SignIn(ctx, "odd.rigger", password, "test")
	problem(t, err, 401, "not-signed-in")
	testkit.LetIn(t, tomas, "odd.rigger", password+" too")
	// The maker departs: what was good stays good.
	make(`{"op":"update_user","user":"tomas.brandt","status":"departed"}`)
	if _, err := (&client.Client{Base: s.Base}).SignIn(ctx, "odd.rigger", password+" too", "test"); err != nil {
		t.Error("the maker left, and the password was void:", err)
	}
}

// What somebody signs in by ends with their suspension for good.
func TestASuspensionEndsSessionsAndTokensForGood(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","status":"suspended"}`), false); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","status":"active"}`), false); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the token to be ended", func() bool { _, err := ines.Me(ctx); return err != nil })
	_, err := ines.Me(ctx)
	problem(t, err, 401, "not-signed-in")
	s.SignIn(t, demo.Pilot) // with the password, again
}

// A token makes none that outlives it, and nobody has more than fifty.
func TestTokensAreBounded(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines := s.SignIn(t, demo.Pilot)
	get := func(days int) (wire.Token, error) {
		var out wire.Token
		return out, ines.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "x", Days: days}, &out)
	}
	_, err := get(31) // the command line's lasts 30 days
	if p := problem(t, err, 422, "invalid"); p.Faults[0].Place != "/days" {
		t.Errorf("%+v", p)
	}
	for range 49 {
		if _, err := get(1); err != nil {
			t.Fatal(err)
		}
	}
	_, err = get(1)
	problem(t, err, 422, "invalid")
}

// Everybody reads their own lines of the security log; all of it, whoever reads the
// ledger. It says who did it and to whom.
func TestTheSecurityLogIsReadByWhoMay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
	if _, err := marta.MakeSignInLink(ctx, demo.Pilot); err != nil {
		t.Fatal(err)
	}
	says := func(c *client.Client, q client.Query, want string) {
		t.Helper()
		log, err := c.SecurityLog(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range log.Events {
			if e.Event == want && (want != "sign-in link made" || e.By != nil && e.User != nil && e.User.Key == demo.Pilot && e.By.Key == demo.Administrator) {
				return
			}
		}
		t.Errorf("%q is not among %+v", want, log.Events)
	}
	says(marta, nil, "sign-in link made")
	says(marta, client.Query{"user": demo.Pilot}, "sign-in link made")
	says(ines, client.Query{"user": demo.Pilot}, "signed in")
	says(s.SignIn(t, demo.Auditor), nil, "signed in")
	_, err := ines.SecurityLog(ctx, nil)
	problem(t, err, 403, "refused")
	_, err = s.SignIn(t, demo.Manager).SecurityLog(ctx, client.Query{"user": demo.Pilot})
	problem(t, err, 403, "refused")
	_, err = ines.SecurityLog(ctx, client.Query{"user": demo.Manager})
	problem(t, err, 404, "not-found")
	page, err := marta.SecurityLog(ctx, client.Query{"limit": "1"})
	if err != nil || len(page.Events) != 1 || page.Next == "" {
		t.Errorf("%+v %v", page, err)
	}
}

// Whoever is suspended, or past their last day, is out at once: sessions,
// tokens and sign-in.
func TestWhoDoesNotCountIsOutAtOnce(t *testing.T) {
	for name, op := range map[string]string{
		"suspended":         `{"op":"update_user","user":"ines.halloran","status":"suspended"}`,
		"departed":          `{"op":"update_user","user":"ines.halloran","status":"departed"}`,
		"past the last day": `{"op":"update_user","user":"ines.halloran","start_date":"2025-01-01","end_date":"2025-12-31"}`,
		"before the first":  `{"op":"update_user","user":"ines.halloran","start_date":"2090-01-01"}`,
	} {
		t.Run(name, func(t *testing.T) {
			s := testkit.Serve(t, testkit.DemoDatabase(t))
			marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
			if _, err := ines.Me(ctx); err != nil {
				t.Fatal(err)
			}
			if _, err := marta.Change(ctx, changeOf("x", op), false); err != nil {
				t.Fatal(err)
			}
			_, err := ines.Me(ctx)
			problem(t, err, 401, "not-signed-in")
			_, err = (&client.Client{Base: s.Base}).SignIn(ctx, demo.Pilot, demo.Password, "test")
			problem(t, err, 401, "not-signed-in")
			a, err := marta.Check(ctx, wire.CheckRequest{User: demo.Pilot, Application: "tide-board", Action: "read", Path: "/", Explain: true})
			if err != nil || a.Allowed || a.Reason != "user_inactive" || !strings.Contains(a.Message, "Inês Halloran may do nothing now") {
				t.Errorf("what is public too: %+v %v", a, err)
			}
		})
	}
}

func TestTheServiceSaysWhatItTakes(t *testing.T) {
	help := testkit.Run(t, "", "rosterd", "-help")
	for _, word := range []string{"rosterd recover", "-database-url", "DATABASE_URL", "-listen", "ROSTER_LISTEN", "-public-url", "-max-age", "(default 30s)", "-log-format"} {
		if !strings.Contains(help, word) {
			t.Errorf("-help says nothing of %s", word)
		}
	}
	for _, x := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"sail"}, 2, `there is no "sail"`},
		{[]string{"serve", "-database-url", ""}, 1, "no database: give -database-url or DATABASE_URL"},
		{[]string{"serve", "-database-url", "not an address:tide-lock@"}, 1, "is not a PostgreSQL address"},
		{[]string{"serve", "-log-level", "loud", "-database-url", "x"}, 1, "-log-level"},
		{[]string{"serve", "harder"}, 2, "does not know what to do with"},
		{[]string{"recover", "-database-url", "postgres://x"}, 2, "name somebody with -user"},
	} {
		out, code := testkit.Try(t, "rosterd", x.args...)
		if code != x.code || !strings.Contains(out, x.says) || strings.Contains(out, "tide-lock") {
			t.Errorf("rosterd %v: exit %d: %s", x.args, code, out)
		}
	}
}

// A second load of the demo changes nothing, and the first is as described.
func TestTheDemoIsLoadedOnceAndWhole(t *testing.T) {
	database := testkit.DemoDatabase(t)
	if out := testkit.Run(t, "", "rosterd", "load-demo", "-database-url", database); !strings.Contains(out, "already") {
		t.Error(out)
	}
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	users, err1 := marta.Users(ctx, client.Query{"status": "active", "limit": "1"})
	roles, err2 := marta.Roles(ctx, nil)
	groups, err3 := marta.Groups(ctx, nil)
	apps, err4 := marta.Applications(ctx, nil)
	me, err5 := marta.Me(ctx)
	for _, err := range []error{err1, err2, err3, err4, err5} {
		if err != nil {
			t.Fatal(err)
		}
	}
	got := fmt.Sprintf("%d applications", len(apps.Applications)-1)
	if got != "10 applications" || users.Total < 220 || users.Total > 300 || len(roles.Roles) < 60 || len(groups.Groups) < 38 {
		t.Errorf("%s, %d active users, %d roles, %d groups", got, users.Total, len(roles.Roles), len(groups.Groups))
	}
	if age := me.Now.Sub(*me.Since).Hours() / 24; age < 540 || age > 560 {
		t.Errorf("the history is %.0f days long", age)
	}
	revs, err := marta.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil || !revs.Revisions[0].Claimed || me.Now.Sub(revs.Revisions[0].At).Hours() > 72 {
		t.Errorf("%+v %v", revs.Revisions, err)
	}
}

// Each cookie has a line of its own: a browser keeps the session and, apart from it, the device.
func TestABrowserKeepsItsDevice(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	r, err := http.Post(s.Base+"/api/v1/session", "application/json", strings.NewReader(`{"user_name":"`+demo.Pilot+`","password":"`+demo.Password+`"}`))
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	lasts := map[string]time.Duration{}
	for _, c := range r.Cookies() {
		lasts[c.Name] = time.Until(c.Expires).Round(time.Hour)
	}
	if len(r.Header["Set-Cookie"]) != 2 || len(lasts) != 2 || lasts["able_roster_session"] != 12*time.Hour || lasts["able_roster_device"] < 170*24*time.Hour {
		t.Errorf("%v: %q", lasts, r.Header["Set-Cookie"])
	}
}
