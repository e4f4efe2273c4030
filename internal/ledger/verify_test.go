package ledger_test

import (
	"strings"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/testkit"
)

// Whoever changes the database behind the ledger's back is found out, at the
// first revision that does not fit.
func TestTamperingIsFound(t *testing.T) {
	testkit.Long(t)
	for _, x := range []struct {
		name, sql string
		first     int64
		says      string
	}{
		{"a reason reworded", "update reason set text = 'because of the weather' where digest = (select reason from revision where revision = 3)", 3, "reason kept apart"},
		{"a name altered", `update personal set text = '{"user_name": "ines.halloran", "display_name": "Somebody Else"}' where text->>'user_name' = 'ines.halloran'`, 2, "personal values kept apart"},
		{"an operation altered", `update operation set body = jsonb_set(body::jsonb, '{until}', '"2030-01-01T00:00:00Z"')::text where revision = 3`, 3, "do not fit its bytes"},
		{"an operation taken out", "delete from operation where revision = 4", 4, "do not fit its bytes"},
		{"the author altered", "update revision set author = 1 where revision = 4", 4, "do not fit its bytes"},
		{"the time altered", "update revision set at = at + interval '1 microsecond' where revision = 4", 4, "do not fit its bytes"},
		{"the bytes altered", `update revision set canonical = convert_to(replace(convert_from(canonical, 'UTF8'), 'test', 'best'), 'UTF8') where revision = 3`, 3, "the hash does not fit"},
		{"a hash altered", `update revision set hash = sha256(hash) where revision = 2`, 2, "the hash does not fit"},
		{"a revision taken out", "delete from operation where revision = 3; delete from revision where revision = 3", 3, "is missing"},
		{"the last revision taken out", "delete from operation where revision = 4; delete from revision where revision = 4", 4, "the head speaks of revision 4"},
		{"a row that no operation opened", "insert into assignment_fact values (99, 2, null, 1, 0, 1, 0, 0, 'manual')", 2, "which no operation does"},
		{"a row taken out", "delete from assignment_fact", 3, "is not opened by it"},
		{"a row closed early", "update assignment_fact set closed = 3", 3, "is closed before it opens"},
		{"a row closed at nothing", "update user_fact set closed = 0 where id = 2", 2, "is closed before it opens"},
		{"subjects emptied", "update operation set subjects = '{}' where revision = 3", 3, "other subjects"},
		{"subjects of somebody else", "update operation set subjects = array['user-7'] where revision = 3", 3, "other subjects"},
		{"a verb altered", "update operation set verb = 'revoke' where revision = 3", 3, "is found as revoke, and is grant"},
		{"the head's time altered", "update ledger_head set at = at + interval '1 hour'", 4, "another time"},
		{"a reason deleted", "delete from reason where digest = (select reason from revision where revision = 3)", 3, "the reason kept apart is gone"},
		{"a reason blanked", "update reason set text = null, salt = null where digest = (select reason from revision where revision = 3)", 3, "the reason kept apart is gone"},
		{"personal values blanked", "update personal set text = null, salt = null where user_id = 2", 2, "was not erased"},
		{"personal values deleted", "delete from personal where user_id = 2", 2, "the personal values kept apart are gone"},
		{"an operation that is no operation", `update operation set body = '{"op":"let_all_in"}' where revision = 3`, 3, "operation 0 cannot be read"},
		{"a row left open", "update assignment_fact set closed = null", 4, "is not closed by it"},
		{"a row with another holder", "update assignment_fact set assignee_user = 1", 3, "holds other values"},
		{"a role moved to another row", "update permission_fact set pattern = 'north'", 1, "holds other values"},
	} {
		t.Run(x.name, func(t *testing.T) {
			l, pool := testkit.Ledger(t, testkit.Database(t))
			founded(t, l)
			commit(t, l, user("ines.halloran"))
			commit(t, l, &roles.Grant{Role: "berths/reader", User: "ines.halloran", Window: calendar.Window{Until: 4e15}})
			commit(t, l, &roles.Revoke{Role: "berths/reader", User: "ines.halloran"})
			verified(t, l)
			if _, err := pool.Exec(ctx, x.sql); err != nil {
				t.Fatal(err)
			}
			v, err := l.Verify(ctx, nil)
			if err != nil {
				t.Fatal(err)
			}
			if v.First != x.first || !strings.Contains(v.Fault, x.says) {
				t.Errorf("revision %d: %s; want revision %d: …%s…", v.First, v.Fault, x.first, x.says)
			}
		})
	}
}

// Of somebody who was changed several times, no ends can change places.
func TestEndsThatChangedPlacesAreFound(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, user("ines.halloran"))
	for _, title := range []string{"Pilot", "Senior pilot"} {
		commit(t, l, &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Title: &title}})
	}
	verified(t, l)
	if _, err := pool.Exec(ctx, `with v as (select opened, closed, row_number() over (order by opened) n from user_fact where id = 2)
		update user_fact u set closed = (select w.closed from v w, v x where x.opened = u.opened and w.n = 4 - x.n) where id = 2`); err != nil {
		t.Fatal(err)
	}
	if v, err := l.Verify(ctx, nil); err != nil || v.First == 0 {
		t.Errorf("%+v %v", v, err)
	}
}

// A departed person's values can be erased: the ledger still verifies, and past
// answers still stand.
func TestErasedValuesLeaveTheLedgerWhole(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, user("ines.halloran"), &roles.Grant{Role: "berths/reader", User: "ines.halloran"})
	id, _ := l.Head().FindUser("ines.halloran")
	before := l.Head().At
	departed := fact.Departed
	commit(t, l, &people.UpdateUser{User: "ines.halloran", Status: &departed})
	commit(t, l, &people.EraseUser{User: "ines.halloran"})
	verified(t, l)
	again, _ := testkit.Ledger(t, pool.Config().ConnString())
	if u := again.Head().User(id); u.DisplayName != "a departed user" || strings.Contains(u.UserName, "ines") {
		t.Errorf("erased and still %+v", u)
	}
	if then, err := again.At(ctx, before); err != nil || !allowed(t, then, id.String()) {
		t.Errorf("what was held then was not: %v", err)
	}
	var clear int
	if err := pool.QueryRow(ctx, "select count(*) from revision r, operation o where convert_from(canonical, 'UTF8') like '%ines%' or body::text like '%ines%'").Scan(&clear); err != nil || clear > 0 {
		t.Errorf("%d revisions hold the name in the clear (%v)", clear, err)
	}
}
