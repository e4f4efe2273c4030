package e2e

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/jackc/pgx/v5"
)

// Two services on one database under a stream of revokes: once a revoke was
// answered by one, the other, asked for at least that revision, denies.
func TestARevokeAnsweredByOneHoldsAtTheOther(t *testing.T) {
	database := testkit.DemoDatabase(t)
	a, b := testkit.Serve(t, database), testkit.Serve(t, database)
	marta := a.SignIn(t, demo.Administrator)
	token := marta.Token
	var asked atomic.Int64
	var wait sync.WaitGroup
	for w := range 4 {
		wait.Go(func() {
			user := fmt.Sprintf("crew.%d", w)
			if _, err := marta.Change(ctx, changeOf("joins", fmt.Sprintf(`{"op":"add_user","user_name":%q}`, user)), false); err != nil {
				t.Error(err)
				return
			}
			for range 40 {
				given, err := marta.Change(ctx, changeOf("x", grantTo(user, "crane-control/operator")), false)
				if err != nil {
					t.Error(err)
					return
				}
				q := wire.CheckRequest{User: user, Application: "crane-control", Action: "operate", Path: "cranes/c-01"}
				other := &client.Client{Base: b.Base, Token: token, AtLeast: given.Revision}
				if answer, err := other.Check(ctx, q); err != nil || !answer.Allowed || answer.Revision < given.Revision {
					t.Errorf("granted at revision %d: %+v %v", given.Revision, answer, err)
				}
				taken, err := marta.Change(ctx, changeOf("x", revokeOf(user, "crane-control/operator")), false)
				if err != nil {
					t.Error(err)
					return
				}
				other.AtLeast = taken.Revision
				if answer, err := other.Check(ctx, q); err != nil || answer.Allowed || answer.Revision < taken.Revision {
					t.Errorf("revoked at revision %d: %+v %v", taken.Revision, answer, err)
				}
				asked.Add(2)
			}
		})
	}
	wait.Wait()
	t.Logf("%d checks at the other service", asked.Load())
}

func TestARevisionThatIsNotThereYetIsSaidToBe(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	marta.AtLeast = 1_000_000
	_, err := marta.Me(ctx)
	if p := problem(t, err, 503, "behind"); !strings.Contains(p.Detail, "does not know revision 1000000 yet") {
		t.Errorf("%+v", p)
	}
	for _, bad := range []string{"soon", "-1", "1e9"} {
		req, _ := http.NewRequest("GET", s.Base+"/api/v1/me", nil)
		req.Header.Set("Roster-At-Least", bad)
		resp, err := http.DefaultClient.Do(req)
		if err != nil || resp.StatusCode != 422 {
			t.Errorf("%q: %v %v", bad, resp.StatusCode, err)
		}
	}
}

// A service whose connections are cut catches up by itself.
func TestAServiceCatchesUpAfterItsConnectionsAreCut(t *testing.T) {
	database := testkit.DemoDatabase(t)
	a, b := testkit.Serve(t, database), testkit.Serve(t, database)
	marta := a.SignIn(t, demo.Administrator)
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	other := &client.Client{Base: b.Base, Token: marta.Token}
	for i := range 5 {
		if _, err := conn.Exec(ctx, "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"); err != nil {
			t.Fatal(err)
		}
		testkit.Until(t, "a change to be taken", func() bool {
			_, err = marta.Change(ctx, changeOf("x", fmt.Sprintf(`{"op":"add_group","key":"cut-%d"}`, i)), false)
			return err == nil
		})
		testkit.Until(t, "the other to hear of it", func() bool {
			_, err := other.Group(ctx, fmt.Sprintf("cut-%d", i), nil)
			return err == nil
		})
	}
	if v, err := other.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}

// A service under which an older state is restored stops answering what was lost, says
// why, and starts again by itself from what is there: nobody is signed in any more, and
// whoever has seen what was lost is told so, wherever they ask.
func TestAServiceStartsAgainWhenItsDatabaseWasPutBack(t *testing.T) {
	database := testkit.DemoDatabase(t)
	a, b := testkit.Serve(t, database), testkit.Serve(t, database)
	marta := a.SignIn(t, demo.Administrator)
	var mark string
	marta.Heard = func(m string) { mark = m }
	kept, err := marta.Change(ctx, changeOf("is kept", `{"op":"add_user","user_name":"kept.one"}`), false)
	if err != nil {
		t.Fatal(err)
	}
	keptMark := mark
	if _, err := marta.Change(ctx, changeOf("is lost", `{"op":"add_user","user_name":"lost.one"}`), false); err != nil {
		t.Fatal(err)
	}
	lostMark := mark
	there := &client.Client{Base: b.Base, Token: marta.Token, Mark: lostMark}
	testkit.Until(t, "the other service to know the token and "+lostMark, func() bool {
		_, err := there.Me(ctx)
		return err == nil
	})
	testkit.Rewind(t, testkit.Pool(t, database), kept.Revision)
	for _, s := range []*testkit.Service{a, b} {
		old := &client.Client{Base: s.Base, Token: marta.Token}
		testkit.Until(t, "nobody to be signed in any more", func() bool {
			_, err := old.Me(ctx)
			var p *wire.Problem
			// The other service may have begun anew first, which ends all tokens.
			return errors.As(err, &p) && p.Status == 401 && strings.Contains(s.Output(), "stops answering")
		})
		again := s.SignIn(t, demo.Administrator)
		if _, err := again.User(ctx, "kept.one", nil); err != nil {
			t.Error(err)
		}
		if _, err := again.User(ctx, "lost.one", nil); err == nil {
			t.Error("what was lost is there")
		}
		again.Mark = keptMark
		if _, err := again.Me(ctx); err != nil {
			t.Errorf("what was kept is not known: %v", err)
		}
		if _, err := again.Change(ctx, changeOf("goes on", `{"op":"add_user","user_name":"x`+s.Base[len(s.Base)-5:]+`"}`), false); err != nil {
			t.Error(err)
		}
		again.Mark = lostMark
		_, err := again.Me(ctx)
		problem(t, err, 412, "lost")
		if !strings.Contains(s.Output(), "stops answering") {
			t.Errorf("its log says nothing of it: %s", s.Output())
		}
	}
}
