package ledger_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/ledger/verify"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/testkit"
)

// An operation that cannot be read stops whoever replays it, and is told; with a replacement
// the ledger is read again, verifies, and says what was mended and by which revision. What is
// stored stays as it was found, and is held to that.
func TestAnOperationThatCannotBeReadIsMended(t *testing.T) {
	testkit.Long(t)
	database := testkit.Database(t)
	l, pool := testkit.Ledger(t, database)
	founded(t, l)
	spoiled := commit(t, l, user("ines"), user("tomas")).Revision
	commit(t, l, &roles.Grant{Role: "berths/reader", User: "tomas"})
	want := l.Head()
	var body string
	if err := pool.QueryRow(ctx, "select body from operation where revision = $1 and position = 1", spoiled).Scan(&body); err != nil {
		t.Fatal(err)
	}
	if _, err := ledger.PrepareMending(ctx, pool, spoiled, 1, body); !errors.Is(err, ledger.ErrReadable) {
		t.Fatalf("one that can be read: %v", err)
	}
	if _, err := pool.Exec(ctx, "update operation set body = $2 where revision = $1 and position = 1", spoiled, `{"op":"add_us`); err != nil {
		t.Fatal(err)
	}
	if v := looked(t, l); v.First != spoiled || !strings.Contains(v.Fault, "operation 1 cannot be read") {
		t.Fatalf("spoiled: %+v", v)
	}
	if err := l.Rebuild(ctx); err == nil {
		t.Fatal("it replays what cannot be read")
	}
	for _, wrong := range []func() error{
		func() error { _, err := ledger.PrepareMending(ctx, pool, spoiled, 2, body); return err },
		func() error { _, err := ledger.PrepareMending(ctx, pool, 4711, 0, body); return err },
		func() error { _, err := ledger.PrepareMending(ctx, pool, spoiled, 1, `{"op":"nothing"}`); return err },
		func() error { _, err := ledger.PrepareMending(ctx, pool, spoiled, 0, body); return err }, // it can be read
		func() error {
			_, err := ledger.PrepareMending(ctx, pool, spoiled, 1, `{"op":"add_group","key":"quay"}`)
			return err
		},
	} {
		if err := wrong(); err == nil {
			t.Error("a mending that is none is taken")
		}
	}
	op, err := ledger.PrepareMending(ctx, pool, spoiled, 1, body)
	if err != nil {
		t.Fatal(err)
	}
	if v := looked(t, l); v.First == 0 || !strings.Contains(v.Fault, "read otherwise than it was mended") {
		t.Errorf("without the revision that says so: %+v", v)
	}
	if _, err := l.Commit(ctx, &ledger.Change{Author: 1, Via: "test", Reason: "x", Operations: []change.Operation{op}}, noFaults); err == nil {
		t.Error("somebody else than the host mends")
	}
	if _, err := l.Mend(ctx, op, " "); err == nil {
		t.Error("it is mended for no reason")
	}
	made, err := l.Mend(ctx, op, "The disk of the old host had a fault")
	if err != nil {
		t.Fatal(err)
	}
	if v := looked(t, l); v.Fault != "" || v.Revisions != made.Revision || !slices.Equal(v.Mended, []int64{spoiled}) {
		t.Errorf("mended: %+v", v)
	}
	again, _ := testkit.Ledger(t, database)
	if err := again.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	for _, s := range []*access.Snapshot{l.Head(), again.Head()} {
		a, ok := s.FindUser("tomas")
		b, _ := want.FindUser("tomas")
		if !ok || a != b || s.User(a).DisplayName != want.User(b).DisplayName {
			t.Errorf("tomas is %v, %v", a, ok)
		}
	}
	revs, err := l.History(ctx, revisions.HistoryFilter{Number: spoiled}, 1)
	if err != nil || len(revs) != 1 || len(revs[0].Operations) != 2 {
		t.Errorf("its history: %v, %v", revs, err)
	}
	for name, sql := range map[string]string{
		"another of its operations": fmt.Sprintf("update operation set body = replace(body, 'person', 'service') where revision = %d and position = 0", spoiled),
		"what was found":            fmt.Sprintf("update operation set body = '{' where revision = %d and position = 1", spoiled),
		"the replacement":           "update mending set replacement = replace(replacement, 'person', 'service')",
		"the revision that says so": "update mending set made = made + 1",
		"the whole":                 "delete from mending",
	} {
		t.Run(name, func(t *testing.T) {
			var kept string
			if err := pool.QueryRow(ctx, "select json_build_array((select json_agg(o) from operation o where revision = $1), (select json_agg(m) from mending m))::text", spoiled).Scan(&kept); err != nil {
				t.Fatal(err)
			}
			if _, err := pool.Exec(ctx, sql); err != nil {
				t.Fatal(err)
			}
			if v := looked(t, l); v.First != spoiled {
				t.Errorf("altered: %+v", v)
			}
			if _, err := pool.Exec(ctx, `with o as (update operation o set body = k.body from json_populate_recordset(null::operation, $2::json->0) k where o.revision = $1 and o.position = k.position returning 1),
				m as (delete from mending returning 1)
				insert into mending select * from json_populate_recordset(null::mending, $2::json->1) on conflict (revision, position) do update set replacement = excluded.replacement, made = excluded.made`, spoiled, kept); err != nil {
				t.Fatal(err)
			}
		})
	}
}

// A reason is erased by an operation that names its digest; one that is gone without it is
// told.
func TestAReasonIsErasedByAnOperation(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.Database(t))
	founded(t, l)
	n := commit(t, l, user("ines")).Revision
	other := commit(t, l, user("tomas")).Revision
	digests, err := l.ReasonDigests(ctx, []int64{n, 4711})
	digest := digests[n]
	if err != nil || digest == "" || len(digests) != 1 {
		t.Fatal(digests, err)
	}
	made := commit(t, l, &rules.EraseReason{Revision: n, Digest: digest})
	reasons, err := l.Reasons(ctx, []int64{n, other, made.Revision})
	if err != nil || reasons[n].Reason != "erased" || reasons[other].Reason == "erased" || reasons[made.Revision].Reason == "erased" {
		t.Errorf("%v, %v", reasons, err)
	}
	if v := looked(t, l); v.Fault != "" {
		t.Errorf("%+v", v)
	}
	if again := commit(t, l, &rules.EraseReason{Revision: n, Digest: digest}); !again.Unchanged {
		t.Error("it is erased twice")
	}
	if err := l.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := pool.Exec(ctx, "update reason r set text = null, salt = null from revision v where v.reason = r.digest and v.revision = $1", other); err != nil {
		t.Fatal(err)
	}
	if v := looked(t, l); v.First != other || !strings.Contains(v.Fault, "was not erased") {
		t.Errorf("one that is gone: %+v", v)
	}
}

// looked is what verifying finds.
func looked(t *testing.T, l *ledger.Ledger) verify.Verification {
	t.Helper()
	v, err := l.Verify(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	return v
}
