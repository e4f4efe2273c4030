package e2e

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// What comes from a client is not changed by hand, in any way; what may be changed here stays as it
// was changed, whatever the client goes on to send, until it sends just that. The client is answered
// with what is so.
func TestAClientOwnsAttributes(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "personnel", everything)
	if _, err := marta.Change(ctx, changeOf("It says what people are",
		`{"op":"set_machine_account","user":"personnel","purpose":"Keeps people","accountable":["marta.quill","tomas.brandt"]}`,
		`{"op":"set_attribute_source","user":"personnel","attributes":["title","manager"],"overridable":["location"],"filter":"employment_type eq \"apprentice\""}`), false); err != nil {
		t.Fatal(err, asFaults(err))
	}
	user := func(title, location string) m {
		return m{"schemas": []string{scimUser, scimOwn}, "userName": "otto.lindqvist", "displayName": "Otto Lindqvist", "externalId": "p-1", "userType": "apprentice", "title": title, scimOwn: m{"location": location}}
	}
	id := p.must(201, "POST", "/Users", user("Deckhand", "Quay"))["id"].(string)
	by := func(op string) error {
		_, err := marta.Change(ctx, changeOf("By hand", fmt.Sprintf(op, id)), false)
		return err
	}
	refused := func(err error, place string) {
		t.Helper()
		var problem *wire.Problem
		if !errors.As(err, &problem) || problem.Status != 422 || len(problem.Faults) != 1 || problem.Faults[0].Place != place || problem.Faults[0].Message != "comes from personnel: it is changed there" {
			t.Errorf("%v %v", err, asFaults(err))
		}
	}
	refused(by(`{"op":"update_user","user":%q,"title":"Master"}`), "/operations/0/title")
	refused(by(`{"op":"update_user","user":%q,"manager":"tomas.brandt","location":"Lock"}`), "/operations/0/manager")
	_, err := marta.Import(ctx, "users", []byte("user_name,title\notto.lindqvist,Master\n"), map[string]string{"reason": "By a file"})
	if err == nil || !strings.Contains(asFaults(err), "comes from personnel") {
		t.Errorf("%v", asFaults(err))
	}
	if err := by(`{"op":"update_user","user":%q,"location":"Lock"}`); err != nil { // which may be changed here
		t.Fatal(err, asFaults(err))
	}
	u, err := marta.User(ctx, id, nil)
	if err != nil || len(u.Sources) != 3 || u.Sources[0].Attribute != "title" || u.Sources[0].Account.Key != "personnel" || !u.Sources[2].Overridable {
		t.Errorf("%+v %v", u.Sources, err)
	}
	kept := func(r m, title, location string) {
		t.Helper()
		if in(r, "title") != title || in(r, scimOwn, "location") != location {
			t.Errorf("%v, not %s at %s", r, title, location)
		}
	}
	kept(p.must(200, "PUT", "/Users/"+id, user("Boatswain", "Quay")), "Boatswain", "Lock")    // as it sent it before
	kept(p.must(200, "PUT", "/Users/"+id, user("Boatswain", "Harbour")), "Boatswain", "Lock") // and otherwise
	kept(p.must(200, "PATCH", "/Users/"+id, patchOf(m{"op": "replace", "path": scimOwn + ":location", "value": "Tower"})), "Boatswain", "Lock")
	kept(p.must(200, "PATCH", "/Users/"+id, patchOf(m{"op": "replace", "path": "title", "value": "Mate"})), "Mate", "Lock") // says nothing of it
	kept(p.must(200, "PUT", "/Users/"+id, user("Mate", "Harbour")), "Mate", "Lock")
	kept(p.must(200, "PUT", "/Users/"+id, user("Mate", "Lock")), "Mate", "Lock") // just that
	kept(p.must(200, "PUT", "/Users/"+id, user("Mate", "Tower")), "Mate", "Tower")
	// Whom the filter does not choose is changed as ever; and who leaves, leaves.
	if _, err := marta.Change(ctx, changeOf("By hand", `{"op":"update_user","user":"ines.halloran","title":"Chief pilot"}`), false); err != nil {
		t.Error(err)
	}
	if err := by(`{"op":"update_user","user":%q,"status":"departed"}`); err != nil {
		t.Error(err, asFaults(err))
	}
	// It is taken back again, like any change.
	x := at(t, s, demo.Administrator)
	x.says(0, "No attribute comes from Personnel system any more", "machine-accounts", "source", "personnel", "-reason", "It says nothing any more")
	me, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	x.says(0, "Attributes that come from Personnel system: title and manager; and location, which may be changed here, of users", "ledger", "undo", fmt.Sprint(me.Revision), "-dry-run")
	if v, err := marta.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}
