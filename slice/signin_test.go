package slice

import (
	"fmt"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// One's own password is changed with the current one; another's by whoever may
// update them and holds all that they hold.
func TestPasswordsAreChanged(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines, marta := s.SignIn(t, demo.Pilot), s.SignIn(t, demo.Administrator)
	own := func(current, next string) error {
		return ines.Do(ctx, "PUT", "/me/password", nil, wire.PasswordRequest{Current: current, New: next}, nil)
	}
	if p := problem(t, own("not the one", "a rope of tides"), 422, "invalid"); p.Faults[0].Place != "/current_password" {
		t.Errorf("%+v", p.Faults)
	}
	if p := problem(t, own(demo.Password, "too short"), 422, "invalid"); p.Faults[0].Place != "/new_password" {
		t.Errorf("%+v", p.Faults)
	}
	if err := own(demo.Password, "a rope of tides"); err != nil {
		t.Fatal(err)
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
	give := func(c *client.Client, user string) error {
		return c.Do(ctx, "PUT", "/users/"+user+"/password", nil, wire.PasswordRequest{New: "a rope of tides"}, nil)
	}
	if err := give(marta, record); err != nil {
		t.Error(err)
	}
	if err := in(record, "a rope of tides"); err != nil {
		t.Error(err)
	}
	// Nobody sets the password of somebody who holds more than they.
	if _, err := marta.Change(ctx, wire.ChangeRequest{Reason: "Stands in", Acknowledge: []string{"administering_gain"},
		Operations: change("", grantTo(demo.Pilot, "auditor")).Operations}, false); err != nil {
		t.Fatal(err)
	}
	problem(t, give(s.SignIn(t, demo.Manager), demo.Pilot), 403, "refused")
	problem(t, give(s.SignIn(t, demo.Auditor), demo.Pilot), 403, "refused")
	problem(t, give(marta, demo.Administrator), 403, "refused")
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
			if _, err := marta.Change(ctx, change("x", op), false); err != nil {
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
	for _, word := range []string{"rosterd recover", "-database-url", "DATABASE_URL", "-listen", "ROSTER_LISTEN", "-public-url", "-max-age", "-log-format"} {
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
		{[]string{"serve", "-database-url", "not an address:secret@"}, 1, "is not a PostgreSQL address"},
		{[]string{"serve", "-log-level", "loud", "-database-url", "x"}, 1, "-log-level"},
		{[]string{"serve", "harder"}, 2, "does not know what to do with"},
		{[]string{"recover", "-database-url", "postgres://x"}, 2, "name somebody with -user"},
	} {
		out, code := testkit.Try(t, "rosterd", x.args...)
		if code != x.code || !strings.Contains(out, x.says) || strings.Contains(out, "secret") {
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
