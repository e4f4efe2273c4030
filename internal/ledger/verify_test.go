package ledger_test

import (
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/testkit"
)

// Whoever changes the database behind the ledger's back is found out, at the
// first revision that does not fit.
func TestTamperingIsFound(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
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
		{"a row closed early", "update assignment_fact set closed = 3", 4, "is not closed by it"},
		{"a row left open", "update assignment_fact set closed = null", 4, "is not closed by it"},
		{"a row with another holder", "update assignment_fact set assignee_user = 1", 3, "holds other values"},
		{"a role moved to another row", "update permission_fact set pattern = 'north'", 1, "holds other values"},
	} {
		t.Run(x.name, func(t *testing.T) {
			l, pool := testkit.Ledger(t, testkit.Database(t))
			founded(t, l)
			commit(t, l, user("ines.halloran"))
			commit(t, l, &access.Grant{Role: "berths/reader", User: "ines.halloran", Window: calendar.Window{Until: 4e15}})
			commit(t, l, &access.Revoke{Role: "berths/reader", User: "ines.halloran"})
			verified(t, l)
			if _, err := pool.Exec(ctx, x.sql); err != nil {
				t.Fatal(err)
			}
			v, err := l.Verify(ctx)
			if err != nil {
				t.Fatal(err)
			}
			if v.First != x.first || !strings.Contains(v.Fault, x.says) {
				t.Errorf("revision %d: %s; want revision %d: …%s…", v.First, v.Fault, x.first, x.says)
			}
		})
	}
}

// A departed person's values can be erased: the ledger still verifies, and past
// answers still stand.
func TestErasedValuesLeaveTheLedgerWhole(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	commit(t, l, user("ines.halloran"), &access.Grant{Role: "berths/reader", User: "ines.halloran"})
	id, _ := l.Head().FindUser("ines.halloran")
	if _, err := pool.Exec(ctx, "update personal set salt = null, text = null where user_id = $1", uint32(id)); err != nil {
		t.Fatal(err)
	}
	verified(t, l)
	again, _ := testkit.Ledger(t, pool.Config().ConnString())
	if u := again.Head().User(id); u.DisplayName != "a departed user" || strings.Contains(u.UserName, "ines") {
		t.Errorf("erased and still %+v", u)
	}
	if !allowed(t, again.Head(), id.String()) {
		t.Error("what was held is not held any more")
	}
	var clear int
	if err := pool.QueryRow(ctx, "select count(*) from revision r, operation o where convert_from(canonical, 'UTF8') like '%ines%' or body::text like '%ines%'").Scan(&clear); err != nil || clear > 0 {
		t.Errorf("%d revisions hold the name in the clear (%v)", clear, err)
	}
}
