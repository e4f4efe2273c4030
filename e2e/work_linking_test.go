package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// A file from elsewhere calls people otherwise: rows that look like exactly one who is there are
// theirs where that is asked for. Else, and where several look so, the file is refused whole.
func TestRowsOfPeopleWhoAreThereAreLinked(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	x := at(t, s, demo.Administrator)
	make := func(ops ...string) {
		t.Helper()
		if _, err := marta.Change(ctx, acknowledged(changeOf("x", ops...), "likely_same_person"), false); err != nil {
			t.Fatal(err)
		}
	}
	make(`{"op":"declare_attribute","key":"personnel_no","label":"Personnel number","identifies":true}`,
		`{"op":"add_user","user_name":"lena.marrick","display_name":"Lena Marrick","email":"lena@larkhaven.example","unit":"marine/tugs"}`,
		`{"op":"add_user","user_name":"odo.one","display_name":"Odo Keel","unit":"marine/tugs","custom":{"personnel_no":"K-1"}}`,
		`{"op":"add_user","user_name":"odo.two","display_name":"Odo Keel","unit":"marine/tugs","custom":{"personnel_no":"K-2"}}`)
	file := func(rows string) string {
		t.Helper()
		path := filepath.Join(t.TempDir(), "people.csv")
		if err := os.WriteFile(path, []byte("user_name,display_name,email,unit,manager,title,personnel_no\n"+rows), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	const lena = "marrickl,Lena Marrick,lena@larkhaven.example,marine/tugs,,Deckhand,P-7\n"
	x.says(3, "With -link the row is theirs", "users", "import", file(lena), "-reason", "x")
	x.says(3, "“keel” looks like several who are there (odo.one, odo.two): name one of them", "users", "import", "-link", file("keel,Odo Keel,,marine/tugs,,,\n"), "-reason", "x")
	x.says(3, "“other” looks like lena.marrick, whom line 2 is about", "users", "import", "-link", file(lena+"other,,lena@larkhaven.example,,,,\n"), "-reason", "x")
	x.says(3, "whom line 3 is about", "users", "import", "-link", file(lena+"lena.marrick,,,,,,\n"), "-reason", "x")

	// The number tells namesakes apart; a manager is named as the file names them.
	whole := file(lena + "keel,Odo Keel,,marine/tugs,marrickl,Mate,K-2\nnew.hand,New Hand,,marine/tugs,marrickl,,\n")
	said := x.says(0, "2 users updated", "users", "import", "-link", whole, "-reason", "From the personnel system")
	if !strings.Contains(strings.Join(strings.Fields(said), " "), "2 rows taken for users who are there, whose user names stay: marrickl (line 2) is lena.marrick; keel (line 3) is odo.two") {
		t.Error(said)
	}
	for user, want := range map[string][2]string{"lena.marrick": {"Deckhand", ""}, "odo.two": {"Mate", "lena.marrick"}, "new.hand": {"", "lena.marrick"}} {
		u, err := marta.User(ctx, user, nil)
		if err != nil {
			t.Fatal(err)
		}
		boss := ""
		if u.Manager != nil {
			boss = u.Manager.Key
		}
		if u.Title != want[0] || boss != want[1] {
			t.Errorf("%s: %q, managed by %q, want %v", user, u.Title, boss, want)
		}
	}
	if u, err := marta.User(ctx, "lena.marrick", nil); err != nil || u.Custom["personnel_no"] != "P-7" {
		t.Errorf("%+v %v", u.Custom, err)
	}
	x.says(0, "Nothing to change", "users", "import", "-link", whole, "-reason", "Once more")

	// A record that was merged into another is nobody's any more.
	make(`{"op":"add_user","user_name":"lena.m","display_name":"Lena Marrick","email":"lena@larkhaven.example","unit":"marine/tugs"}`)
	x.says(3, "looks like several", "users", "import", "-link", file("marrick2,Lena Marrick,lena@larkhaven.example,,,,\n"), "-reason", "x")
	make(`{"op":"merge_users","user":"lena.m","into":"lena.marrick"}`)
	x.says(0, "marrick2 (line 2) is lena.marrick", "users", "import", "-link", file("marrick2,Lena Marrick,lena@larkhaven.example,,,Boatswain,\n"), "-reason", "x")

	// Whom the caller does not see is nobody whom a row could be.
	tomas := s.SignIn(t, demo.Manager)
	make(`{"op":"add_user","user_name":"far.away","display_name":"Far Away","email":"far@larkhaven.example","unit":"finance"}`)
	out, err := tomas.ImportUsers(ctx, []byte("user_name,display_name,email,unit\nnear.by,Near By,far@larkhaven.example,marine/tugs\n"), client.Query{"link": "true", "dry_run": "true"})
	if err == nil && strings.Contains(strings.Join(out.Sentences, " "), "updated") || err != nil && strings.Contains(err.Error(), "far.away") {
		t.Errorf("%v %v", out.Sentences, err)
	}
}
