package e2e

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// A report says what the pages say, of which revision with which hash, and as of a day it is the
// same bytes each time; who may not read the ledger learns no hash, and nobody's name is markup.
func TestReportsAreForTheAuditor(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	past := client.Query{}.AsOf(time.Now().AddDate(0, -2, 0).Truncate(time.Second))
	first, err := marta.Report(ctx, "users", demo.Pilot, past)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("Meanwhile", grantTo(demo.Pilot, "auditor"), `{"op":"update_user","user":"b.osei","display_name":"<b>B & Co</b>"}`), false); err != nil {
		t.Fatal(err)
	}
	again, err := marta.Report(ctx, "users", demo.Pilot, past)
	if err != nil || !bytes.Equal(first, again) {
		t.Errorf("the report of a past day is another: %v", err)
	}
	u, err := marta.User(ctx, demo.Pilot, past)
	if err != nil {
		t.Fatal(err)
	}
	head, err := marta.LedgerHead(ctx, client.Query{"revision": strconv.FormatInt(u.Revision, 10)})
	if err != nil {
		t.Fatal(err)
	}
	for _, says := range []string{"Inês Halloran", demo.Pilot, head.Hash, "Pilots", "Tariff reader", "Berth planning"} {
		if !strings.Contains(string(first), says) {
			t.Errorf("it does not say %s", says)
		}
	}
	now, err := marta.Report(ctx, "users", demo.Pilot, nil)
	if err != nil || !strings.Contains(string(now), "Auditor") || strings.Contains(string(first), "Auditor</td>") {
		t.Errorf("of now: %v", err)
	}
	part, err := tomas.Report(ctx, "users", demo.Pilot, nil)
	if err != nil || strings.Contains(string(part), "SHA-256") || !strings.Contains(string(part), "There may be more") {
		t.Errorf("of a part: %v", err)
	}
	_, err = tomas.Report(ctx, "users", demo.Auditor, nil)
	problem(t, err, 404, "not-found")
	held, err := marta.Report(ctx, "roles", "auditor", nil)
	if err != nil || !strings.Contains(string(held), "&lt;b&gt;B &amp; Co&lt;/b&gt;") || strings.Contains(string(held), "<b>B") {
		t.Errorf("%s %v", held, err)
	}
	one, err := marta.Report(ctx, "revisions", "1024", nil)
	if err != nil || !strings.Contains(string(one), "Meanwhile") || !strings.Contains(string(one), "gained") || !strings.Contains(string(one), "Inês Halloran") {
		t.Errorf("%s %v", one, err)
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "<!doctype html>", "report", "user", demo.Pilot)
	// It is a page like another: nothing is loaded, and it can be read by anybody.
	file := filepath.Join(t.TempDir(), "report.html")
	if err := os.WriteFile(file, now, 0o600); err != nil {
		t.Fatal(err)
	}
	b := testkit.NewTab(t, "file://")
	b.Go(file)
	b.Sees("Roles held directly")
	b.Accessible()
	if look := os.Getenv("ROSTER_LOOK"); look != "" {
		b.Picture(look)
	}
}
