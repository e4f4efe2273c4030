package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/signedhead"
	"ableroster/testkit"
)

// Somebody who owns the database can rewrite all of a ledger, so that it verifies in
// itself; a head that was kept elsewhere tells it, and from where.
func TestALedgerIsHeldToHeadsThatWereKept(t *testing.T) {
	dir := t.TempDir()
	key, kept := filepath.Join(dir, "key.pem"), filepath.Join(dir, "heads")
	said := testkit.Run(t, "", "rosterd", "signing-key", "-out", key)
	public := regexp.MustCompile(`: (\S+=)\n`).FindStringSubmatch(said)
	if public == nil {
		t.Fatalf("the public key is not said: %s", said)
	}
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database, "-signing-key", key, "-heads-to", kept, "-heads-every", "1")
	marta := s.SignIn(t, demo.Administrator)
	roster := s.CommandLine(t)
	roster.Must(t, demo.Password+"\n", "sign-in", "-user", demo.Administrator)
	early := filepath.Join(dir, "early.json")
	if out := roster.Must(t, "", "ledger", "head", "-out", early); !strings.Contains(out, "It is signed") || !strings.Contains(out, public[1]) {
		t.Errorf("it says: %s", out)
	}
	first, err := marta.Change(ctx, changeOf("x", `{"op":"add_user","user_name":"kept.one"}`), false)
	if err != nil {
		t.Fatal(err)
	}
	late := filepath.Join(dir, "late.json")
	roster.Must(t, "", "ledger", "head", "-out", late)
	if out := roster.Must(t, "", "ledger", "verify", "-head", early, "-head", late, "-key", public[1]); !strings.Contains(out, "It is the one that was kept: 2 heads, up to revision") {
		t.Errorf("it says: %s", out)
	}
	testkit.Until(t, "the head to be kept", func() bool {
		lines, err := signedhead.Kept{Place: kept}.Read(ctx)
		return err == nil && len(lines) > 0 && lines[len(lines)-1].Head.Revision == first.Revision && lines[len(lines)-1].Head.Check() == nil
	})

	// A head that was altered, or signed with another key, is not gone by.
	raw, _ := os.ReadFile(late)
	forged := filepath.Join(dir, "forged.json")
	if err := os.WriteFile(forged, bytes.Replace(raw, []byte(`"epoch": 1`), []byte(`"epoch": 2`), 1), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"-head", forged}, {"-head", late, "-key", "other="}} {
		if out, _, code := roster.Run(t, "", append([]string{"ledger", "verify"}, args...)...); code != 1 || !strings.Contains(out, "key") {
			t.Errorf("%v: %d %s", args, code, out)
		}
	}

	// The last revision is rewritten, as consistently as it can be.
	s.Stop(t)
	pool := testkit.Pool(t, database)
	testkit.Rewind(t, pool, first.Revision-1)
	other := testkit.Serve(t, database)
	token := other.SignIn(t, demo.Administrator)
	if _, err := token.Change(ctx, changeOf("x", `{"op":"add_user","user_name":"another.one"}`), false); err != nil {
		t.Fatal(err)
	}
	roster = other.CommandLine(t)
	roster.Must(t, demo.Password+"\n", "sign-in", "-user", demo.Administrator)
	if v, err := token.Verify(ctx, nil); err != nil || !v.Verified {
		t.Fatalf("it is to verify in itself: %+v %v", v, err)
	}
	out, _, code := roster.Run(t, "", "ledger", "verify", "-head", early, "-head", late, "-head", kept)
	if code != 1 || !strings.Contains(out, "is not the one that was kept") || !strings.Contains(out, "or one before it, was altered") || !strings.Contains(out, "Up to revision") {
		t.Errorf("%d: %s", code, out)
	}
	testkit.Rewind(t, pool, first.Revision-1)
	testkit.Until(t, "it to start again", func() bool { return strings.Count(other.Output(), "msg=ready") == 2 })
	roster = other.CommandLine(t)
	roster.Must(t, demo.Password+"\n", "sign-in", "-user", demo.Administrator)
	if out, _, code := roster.Run(t, "", "ledger", "verify", "-head", late); code != 1 || !strings.Contains(out, "does not go so far any more") {
		t.Errorf("%d: %s", code, out)
	}
}

// A restore brings back neither who was signed in nor whoever was erased: a service that
// keeps heads elsewhere finds out when it starts, though none ran meanwhile.
func TestARestoreBringsBackNobodyWhoWasErased(t *testing.T) {
	kept := filepath.Join(t.TempDir(), "heads")
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database, "-heads-to", kept)
	marta := s.SignIn(t, demo.Administrator)
	held := `{"op":"set_legal_hold","user":"to.erase","last_day":"` + time.Now().AddDate(1, 0, 0).Format(time.DateOnly) + `"}` // which is ended before they are erased
	ready, err := marta.Change(ctx, changeOf("joins", `{"op":"add_user","user_name":"to.erase","display_name":"Tobias Erasmus"}`, held), false)
	if err != nil {
		t.Fatal(err)
	}
	s.Stop(t) // which keeps the head
	s = testkit.Serve(t, database, "-heads-to", kept)
	marta = &client.Client{Base: s.Base, Token: marta.Token}
	if _, err := marta.Change(ctx, changeOf("leaves", `{"op":"end_legal_hold","user":"to.erase"}`, `{"op":"update_user","user":"to.erase","status":"departed"}`, `{"op":"erase_user","user":"to.erase"}`, fmt.Sprintf(`{"op":"erase_reason","revision":%d}`, ready.Revision)), false); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the erasure to be kept", func() bool {
		lines, err := signedhead.Kept{Place: kept}.Read(ctx)
		return err == nil && len(lines) > 0 && len(lines[len(lines)-1].Erased) == 1 && len(lines[len(lines)-1].Reasons) == 1
	})
	s.Stop(t)
	pool := testkit.Pool(t, database)
	testkit.Rewind(t, pool, ready.Revision)
	if _, err := pool.Exec(ctx, `insert into personal (digest, user_id, salt, text) select digest, user_id, '\x00', '{"user_name":"to.erase","display_name":"Tobias Erasmus"}' from personal where user_id = (select max(id) from user_fact) and text is null
		on conflict (digest) do update set text = excluded.text, salt = excluded.salt`); err != nil { // as the restore would
		t.Fatal(err)
	}
	if _, err := pool.Exec(ctx, "update reason set text = 'joins', salt = '\\x00' where text is null"); err != nil {
		t.Fatal(err)
	}
	s = testkit.Serve(t, database, "-heads-to", kept)
	if _, err := (&client.Client{Base: s.Base, Token: marta.Token}).Me(ctx); err == nil {
		t.Error("a token of before the restore is good")
	}
	marta = s.SignIn(t, demo.Administrator)
	list, err := marta.Users(ctx, client.Query{"q": "Erasmus"})
	if err != nil || list.Total != 0 {
		raw, _ := json.Marshal(list)
		t.Errorf("whoever was erased is there again: %s %v", raw, err)
	}
	var reason *string
	if err := pool.QueryRow(ctx, "select t.text from revision r join reason t on t.digest = r.reason where r.revision = $1", ready.Revision).Scan(&reason); err != nil || reason != nil {
		t.Errorf("a reason that was erased is there again: %v", err)
	}
	if !strings.Contains(s.Output(), "revisions of this ledger were lost") {
		t.Errorf("it says nothing of the loss: %s", s.Output())
	}
	s.Stop(t)
	s = testkit.Serve(t, database, "-heads-to", kept)
	if strings.Contains(s.Output(), "revisions of this ledger were lost") {
		t.Error("it finds the same loss again")
	}
}

// The steps of docs/operate.md under "Back-up and restore".
func TestABackUpIsRestored(t *testing.T) {
	dir := t.TempDir()
	kept, file := filepath.Join(dir, "heads"), filepath.Join(dir, "roster.dump")
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database, "-heads-to", kept)
	marta := s.SignIn(t, demo.Administrator)
	run := func(name string, args ...string) {
		t.Helper()
		if out, err := exec.Command(name, args...).CombinedOutput(); err != nil {
			t.Fatalf("%s: %v: %s", name, err, out)
		}
	}
	run("pg_dump", "-Fc", "-f", file, database)
	if _, err := marta.Change(ctx, changeOf("is lost", `{"op":"add_user","user_name":"lost.one"}`), false); err != nil {
		t.Fatal(err)
	}
	s.Stop(t)
	empty := testkit.EmptyDatabase(t)
	run("pg_restore", "-d", empty, file)
	s = testkit.Serve(t, empty, "-heads-to", kept)
	if !strings.Contains(s.Output(), "revisions of this ledger were lost") {
		t.Errorf("it says nothing of the loss: %s", s.Output())
	}
	if _, err := (&client.Client{Base: s.Base, Token: marta.Token}).Me(ctx); err == nil {
		t.Error("a token of before is good")
	}
	marta = s.SignIn(t, demo.Administrator)
	roster := s.CommandLine(t)
	roster.Must(t, demo.Password+"\n", "sign-in", "-user", demo.Administrator)
	if out, _, code := roster.Run(t, "", "ledger", "verify", "-head", kept); code != 1 || !strings.Contains(out, "does not go so far any more") {
		t.Errorf("%d: %s", code, out)
	}
	if _, err := marta.Change(ctx, changeOf("is made again", `{"op":"add_user","user_name":"lost.one"}`), false); err != nil {
		t.Error(err)
	}
	if v, err := marta.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}
