package e2e

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// terminal is somebody at the command line, signed in.
type terminal struct {
	*testing.T
	r *testkit.Roster
}

func at(t *testing.T, s *testkit.Service, user string) *terminal {
	t.Helper()
	x := &terminal{t, s.CommandLine(t)}
	x.says(0, "Signed in at", "sign-in", "-user", user)
	return x
}

// says runs a command that must end with a code and say something.
func (x *terminal) says(code int, want string, args ...string) string {
	x.Helper()
	stdin := ""
	if args[0] == "sign-in" {
		stdin = demo.Password
	}
	out, errOut, got := x.r.Run(x.T, stdin, args...)
	text := out + errOut
	if got != code || !strings.Contains(strings.Join(strings.Fields(text), " "), want) {
		x.Fatalf("roster %s: exit %d, want %d and “%s”:\n%s", strings.Join(args, " "), got, code, want, text)
	}
	return text
}

var (
	revisionIn = regexp.MustCompile(`revision (\d+)`)
	requestIn  = regexp.MustCompile(`request-\d+`)
)

// The whole slice by command line, as in the README.
func TestEverydayWorkByCommandLine(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	x.says(0, "Marta Quill (marta.quill)", "whoami")

	// A user is added with roles and groups, or not at all.
	x.says(3, "there is no role “berth-planning/raeder” did you mean berth-planning/reader?",
		"users", "add", "zoe.marrick", "-name", "Zoë Marrick", "-role", "berth-planning/raeder", "-reason", "joins")
	x.says(3, "there is no user “zoe.marrick”", "users", "show", "zoe.marrick")
	x.says(0, "Zoë Marrick would gain", "users", "add", "zoe.marrick", "-name", "Zoë Marrick", "-unit", "marine/tugs", "-group", "pilots", "-role", "tide-board/editor", "--dry-run")
	x.says(3, "there is no user “zoe.marrick”", "users", "show", "zoe.marrick")
	x.says(0, "Done, as revision", "users", "add", "zoe.marrick", "-name", "Zoë Marrick", "-unit", "marine/tugs", "-group", "pilots", "-role", "tide-board/editor", "-reason", "Joins the tugs")
	x.says(0, "marine-staff Marine staff (through Pilots)", "users", "show", "zoe.marrick")

	// The effect is seen before, and proved after.
	x.says(1, "denied (no_grant): Zoë Marrick may not create manifests in cargo-manifests", "check", "zoe.marrick", "cargo-manifests", "create", "manifests")
	x.says(0, "Nothing was changed. The ledger would say: Granted Manifest clerk to Zoë Marrick", "grant", "zoe.marrick", "cargo-manifests/clerk", "--dry-run")
	x.says(1, "denied", "check", "zoe.marrick", "cargo-manifests", "create", "manifests")
	before := x.says(0, "Done, as revision", "grant", "zoe.marrick", "cargo-manifests/clerk", "-reason", "Covers the manifest desk")
	n := revisionIn.FindStringSubmatch(before)[1]
	x.says(0, "The role is held already, with the same limits, since", "grant", "zoe.marrick", "cargo-manifests/clerk", "-reason", "Again")
	x.says(0, "allowed (granted): Zoë Marrick may create manifests in cargo-manifests, by the role Manifest clerk.", "check", "zoe.marrick", "cargo-manifests", "create", "manifests")
	x.says(0, "Cargo manifests create, update manifests role Manifest clerk, direct", "access", "zoe.marrick")
	x.says(0, "Zoë Marrick loses", "revoke", "zoe.marrick", "cargo-manifests/clerk", "-reason", "The desk is back")
	x.says(1, "denied", "check", "zoe.marrick", "cargo-manifests", "create", "manifests")
	x.says(3, "directly: it comes through the group pilots", "revoke", "zoe.marrick", "pilot-roster/pilot", "-reason", "x")

	// Both acts are in the ledger, and it verifies.
	history := x.says(0, "Granted Manifest clerk to Zoë Marrick Covers the manifest desk", "history", "-user", "zoe.marrick")
	if !strings.Contains(history, "Revoked Manifest clerk of Zoë Marrick") || !strings.Contains(history, n) {
		t.Errorf("the history says\n%s", history)
	}
	x.says(0, "every hash and every row matches", "ledger", "verify")

	x.says(0, "Signed out", "sign-out")
	x.says(3, "roster sign-in gets a token", "whoami")
}

func TestExitCodesAndUsage(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	x.says(0, "roster grant USER ROLE", "help")
	x.says(0, "-until", "grant", "-help")
	x.says(2, "There are: roster users list", "users")
	x.says(2, "there is no command “dance”", "dance")
	x.says(2, "There are: roster users import, roster groups import, roster memberships import", "import", "people.csv")
	x.says(0, "roster ledger verify", "ledger", "-help")
	x.says(0, "there is more: ask for more with -limit", "history", "-limit", "2", "-output", "csv")
	x.says(0, `"roster_file": 1`, "file", "export", "-output", "json")
	x.says(2, "a roster file is no table", "file", "export", "-output", "csv")
	x.says(2, "name the user, the role", "grant")
	x.says(2, "does not know what to do with “now”", "grant", "ines.halloran", "auditor", "now")
	x.says(2, "flag provided but not defined", "grant", "-loudly", "a", "b")
	x.says(2, "say why with -reason", "grant", "ines.halloran", "auditor")
	x.says(2, "is neither a day", "grant", "ines.halloran", "auditor", "-until", "friday", "-reason", "x")
	x.says(2, "is neither a day", "access", "ines.halloran", "-as-of", "31/12/2025")
	x.says(2, "-output is table, json or csv", "users", "list", "-output", "xml")
	x.says(2, "-limit is 1 to 500", "history", "-limit", "0")
	x.says(2, "no such file", "users", "import", "missing.csv", "-reason", "x")
	x.says(3, "did you mean ines.halloran?", "users", "show", "ines.haloran")
	x.says(3, "before the first revision", "access", "ines.halloran", "-as-of", "1999-01-01")
	x.says(3, "the window would end before it begins", "grant", "ines.halloran", "tide-board/editor", "-from", "2027-02-01", "-until", "2027-01-01", "-reason", "x")
	x.says(3, "-acknowledge administering_gain", "grant", "ines.halloran", "access-administrator", "-reason", "x")
	x.says(0, "Guard rail administering_gain", "grant", "ines.halloran", "access-administrator", "-reason", "x", "-acknowledge", "administering_gain")
	x.says(3, "-acknowledge own_access_lowered", "revoke", "marta.quill", "access-administrator", "-reason", "x")
	x.says(0, "Done", "revoke", "ines.halloran", "access-administrator", "-reason", "x")
	x.says(3, "no acknowledgement is possible", "revoke", "marta.quill", "access-administrator", "-reason", "x", "-acknowledge", "own_access_lowered", "-acknowledge", "last_administrator")
	_, errOut, code := x.r.Run(t, "wrong", "sign-in", "-user", demo.Administrator)
	if code != 3 || !strings.Contains(errOut, "The user name or the password is not right") {
		t.Errorf("a wrong password: %d %s", code, errOut)
	}
	x.says(4, "did not answer", "users", "list", "-service", "http://127.0.0.1:1")
}

func TestOutputForScripts(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	var users wire.UserList
	if err := json.Unmarshal([]byte(x.says(0, "", "users", "list", "-output", "json")), &users); err != nil || len(users.Users) != users.Total || users.Total < 240 {
		t.Errorf("%d of %d users (%v)", len(users.Users), users.Total, err)
	}
	rows, err := csv.NewReader(strings.NewReader(x.says(0, "", "users", "list", "-unit", "marine", "-output", "csv"))).ReadAll()
	if err != nil || len(rows) < 40 || rows[0][0] != "user_name" {
		t.Errorf("%d rows (%v)", len(rows), err)
	}
	for _, r := range rows[1:] {
		if !strings.HasPrefix(r[3], "marine") {
			t.Errorf("%v is not of the unit", r)
		}
	}
	var answer wire.CheckAnswer
	if err := json.Unmarshal([]byte(x.says(1, "", "check", "ines.halloran", "crane-control", "unlock", "locks", "-output", "json")), &answer); err != nil || answer.Allowed || answer.Reason != "no_grant" {
		t.Errorf("%+v %v", answer, err)
	}
	x.says(2, "there is no command", "groups", "lost")
	for _, words := range [][]string{{"groups", "list"}, {"groups", "show", "pilots"}, {"applications", "list"}, {"applications", "show", "tide-board"}, {"roles", "list"},
		{"roles", "show", "duty-officer"}, {"grid", "tide-board"}, {"history"}, {"users", "show", "ines.halloran"}, {"access", "ines.halloran"}} {
		x.says(0, "", words...)
		// What is said beside the output, as that there is more, is no part of it.
		if raw, _, code := x.r.Run(t, "", append(words, "-output", "json")...); code != 0 || !json.Valid([]byte(raw)) {
			t.Errorf("%v: exit %d, not JSON:\n%s", words, code, raw)
		}
		raw, _, code := x.r.Run(t, "", append(words, "-output", "csv")...)
		if _, err := csv.NewReader(strings.NewReader(raw)).ReadAll(); err != nil || code != 0 {
			t.Errorf("%v: exit %d, not CSV: %v", words, code, err)
		}
	}
}

// A thousand people in one change; a second time nothing.
func TestImportingAPersonnelExport(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	var b strings.Builder
	b.WriteString("\xef\xbb\xbfgroups,unit,user_name,roles,display_name,manager,start_date\r\n")
	for i := range 1000 {
		manager := ""
		if i > 0 {
			manager = fmt.Sprintf("crew.%04d", (i-1)/8)
		}
		fmt.Fprintf(&b, "seasonal-pilots,marine/pilotage,crew.%04d,tide-board/editor;berth-planning/reader,\"Crew, \"\"number\"\"\r\n%d\",%s,2026-11-01\r\n", i, i, manager)
	}
	file := filepath.Join(t.TempDir(), "crew.csv")
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	// A name with a line break is no name: every line of it is told.
	write(b.String())
	if text := x.says(3, "crew.csv line 2, column display_name: has control characters", "users", "import", file, "-reason", "Season"); strings.Count(text, "display_name") != 1 || !strings.Contains(text, "(and 999 more like it)") {
		t.Errorf("of a thousand faults it tells\n%s", text)
	}
	x.says(3, "1000 faults are in wrong.csv", "users", "import", file, "-reason", "Season", "-faults", filepath.Join(filepath.Dir(file), "wrong.csv"))
	good := strings.ReplaceAll(b.String(), "\r\n", "\n")
	good = regexp.MustCompile(`"Crew, ""number""\n(\d+)"`).ReplaceAllString(good, `"Crew, ""number"" $1"`)
	write(good)
	x.says(0, "1000 users added 1000 memberships added 2000 roles granted", "users", "import", file, "--dry-run")
	x.says(0, "Marta Quill", "whoami")
	x.says(0, "1000 users added", "users", "import", file, "-reason", "Season")
	x.says(0, "Every row is so already", "users", "import", file, "-reason", "Season")
	x.says(0, `Crew, "number" 7`, "users", "show", "crew.0007")
	x.says(0, "reports to Crew, \"number\" 1", "users", "show", "crew.0015")
	write(strings.Replace(good, "marine/pilotage,crew.0007", "marine/tugs,crew.0007", 1))
	x.says(0, "1 user updated", "users", "import", file, "-reason", "Moved")
	x.says(0, "Season", "history", "-user", "crew.0007", "-limit", "5")
}

func TestImportsThatAreRefusedWhole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	file := filepath.Join(t.TempDir(), "crew.csv")
	for _, c := range []struct {
		name, text string
		says       []string
	}{
		{"nothing at all", "", []string{"request body is required"}},
		{"no header", "\n\n", []string{"line 1: has no header row"}},
		{"no rows", "user_name\n", []string{"line 2: is missing: the file has a header and no rows"}},
		{"no key", "display_name\nZoë\n", []string{"line 1: has no column user_name"}},
		{"a column of nothing we know", "user_name,shoe_size\na.b,9\n", []string{"line 1: has the column “shoe_size”"}},
		{"a column twice", "user_name,unit,unit\na.b,x,y\n", []string{"line 1: has the column “unit” twice"}},
		{"another encoding", "user_name,display_name\na.b,Zo\xeb\n", []string{"line 2: is not UTF-8"}},
		{"not text", "user_name\na\x00b\n", []string{"line 2: has a zero byte"}},
		{"an open quote", "user_name,unit\na.b,\"x\nc.d,y\n", []string{"cannot be read as CSV"}},
		{"every fault at once", "user_name,unit,roles,groups,start_date\n" +
			"short.row,x\n" +
			"twice,x,-,-,\nTWICE,x,-,-,\n" +
			"blank.role,x,,-,\n" +
			",x,-,-,\n" +
			"bad.date,x,-,-,01.02.2026\n" +
			"bad.unit,a//b,-,-,\n" +
			"no.role,x,crane-control/opreator,-,\n" +
			"no.group,x,-,pilts,\n",
			[]string{"line 2: has 2 columns where the header has 5", "line 4, column user_name: “TWICE” is there twice: line 3 has it too",
				"line 5, column roles: has a blank where a key belongs", "line 6, column user_name: is blank", "line 7, column start_date: \"01.02.2026\" is not a date",
				"line 8, column unit: is not a path", "line 9, column roles: there is no role “crane-control/opreator” did you mean crane-control/operator?",
				"line 10, column groups: there is no group “pilts” did you mean pilots?"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			if err := os.WriteFile(file, []byte(c.text), 0o644); err != nil {
				t.Fatal(err)
			}
			y := terminal{t, x.r}
			head := y.says(0, "revision", "whoami")
			for _, want := range c.says {
				y.says(3, want, "users", "import", file, "-reason", "x")
			}
			if after := y.says(0, "revision", "whoami"); after != head {
				t.Errorf("something was changed: %s, was %s", after, head)
			}
		})
	}
}
