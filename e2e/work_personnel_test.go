package e2e

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// The guide "Taking over a company": each of the faults
// planted in the file is told, at its line and column, and no other.
func TestThePeopleOfAnotherCompany(t *testing.T) {
	w := newWalk(t, "docs/guide/company.md")
	w.step(0, "Signed in")
	w.step(0, "Declared the attribute Personnel number of users")
	w.step(0, "Declared the attribute Boat licence until of users")
	w.step(0, "Saved. roster users import -mapping stevedores FILE uses it.")
	w.step(0, "")
	w.step(3, "nothing was changed; 30 faults are in faults.csv")
	w.step(0, "“Umschalg” is none of the texts the mapping knows")
	theirs(t)
	w.step(0, "")
	w.step(0, "Nothing was changed. The ledger would say: 1000 users added")
	w.step(0, "1000 users added")
	w.step(0, "Nothing to change: Every row is so already")
	w.step(0, "")
	w.step(0, "users the file does not name suspended")
	w.step(0, "Saved.")
	w.step(0, "5 users of")
	w.step(0, "lapsing Boat licences that lapse own, shared")
	w.done()

	marta := w.s.SignIn(t, demo.Administrator)
	u, err := marta.User(ctx, "st.lazare.okonjo", nil)
	if err != nil || u.DisplayName != "Lazare Okonjo" || u.Unit != "security/gate" || u.StartDate != "2006-02-25" || u.Manager.Key != "st.oda.o-dalaigh" ||
		u.Custom["personnel_number"] != "20007" || u.Custom["cost_centre"] == "" || u.EmploymentType != "staff" {
		t.Errorf("became %+v (%v)", u.User, err)
	}
	// The port's own people are none of the file's business.
	if list, err := marta.Users(ctx, client.Query{"filter": `status eq "suspended" and not (user_name sw "st.")`}); err != nil || list.Total > 3 {
		t.Errorf("%d of the port's own are suspended (%v)", list.Total, err)
	}
}

// theirs holds the file of faults to what was planted.
func theirs(t *testing.T) {
	t.Helper()
	f, err := os.Open(filepath.Join(testkit.Root(), "var", "faults.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	told, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	_, planted := demo.Personnel(false)
	if len(planted) != 30 || len(told) != 31 {
		t.Fatalf("%d faults planted, %d told", len(planted), len(told)-1)
	}
	for i, p := range planted {
		if got := told[i+1]; got[0] != strconv.Itoa(p.Line) || got[1] != p.Column || !strings.Contains(got[2], p.Says) {
			t.Errorf("told %q, want line %d, column %s, …%s…", got, p.Line, p.Column, p.Says)
		}
	}
}

// crew is a file of many new people, all of one title.
func crew(title string, n int) []byte {
	var out strings.Builder
	out.WriteString("user_name,title,unit,roles\n")
	for i := range n {
		fmt.Fprintf(&out, "%s.%d,%s,marine/tugs,cargo-manifests/reader;crane-control/observer\n", strings.ToLower(title), i, title)
	}
	return []byte(out.String())
}

func countOf(t *testing.T, c *client.Client, title string) int {
	t.Helper()
	list, err := c.Users(ctx, client.Query{"filter": fmt.Sprintf(`title eq %q`, title), "limit": "1"})
	if err != nil {
		t.Fatal(err)
	}
	return list.Total
}

// An import whose service is killed goes on with another, or the next: it is made once, and
// is never half there.
func TestAnImportKilledHalfWayIsDoneOnce(t *testing.T) {
	const people = 4000
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	token := s.SignIn(t, demo.Administrator).Token
	resumed := 0
	for round := range 5 {
		c := &client.Client{Base: s.Base, Token: token}
		title := fmt.Sprintf("Crew%d", round)
		q := client.Query{"file": "crew.csv", "reason": "Season", "track": title, "acknowledge": "wide_gain"}
		broken, stop := context.WithCancel(ctx)
		begun := make(chan error, 1)
		go func() {
			_, err := c.Import(broken, "users", crew(title, people), q)
			begun <- err
		}()
		// Each round it is let come further.
		testkit.Until(t, "the import to have come so far", func() bool {
			if len(begun) > 0 {
				return true
			}
			p, err := c.ImportNamed(ctx, title)
			return err == nil && p.State != "receiving" && (round < 2 || p.Ended != nil || p.Done >= (round-1)*people/2 || p.Stage == "writing")
		})
		s.Kill()
		stop()
		<-begun
		s = testkit.Serve(t, database)
		c = &client.Client{Base: s.Base, Token: token}
		if p, err := c.ImportNamed(ctx, title); err == nil && p.Ended == nil {
			resumed++
		}
		testkit.Until(t, "the import to end", func() bool {
			if got := countOf(t, c, title); got != 0 && got != people {
				t.Errorf("%d of %d came in", got, people)
			}
			p, err := c.ImportNamed(ctx, title)
			return err == nil && p.Ended != nil
		})
		p, err := c.ImportNamed(ctx, title)
		if err != nil || p.State != "done" || p.Result == nil || countOf(t, c, title) != people {
			t.Errorf("it ended as %+v (%v), with %d there", p, err, countOf(t, c, title))
		}
		if r, err := c.Import(ctx, "users", crew(title, people), q); err != nil || !r.Unchanged {
			t.Errorf("again: %+v (%v)", r, err)
		}
	}
	if resumed == 0 {
		t.Error("none was killed before it was done")
	}
	if v, err := (&client.Client{Base: s.Base, Token: token}).Verify(ctx, nil); err != nil || v.Fault != "" {
		t.Errorf("the ledger does not verify: %+v (%v)", v, err)
	}
}

// Of two imports of the same file at once one makes the change and the other finds
// it so, or is told to look again; none is made twice.
func TestTwoImportsAtOnce(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	c := s.SignIn(t, demo.Administrator)
	var wg sync.WaitGroup
	results, errs := make([]wire.ChangeResult, 2), make([]error, 2)
	for i := range 2 {
		wg.Go(func() {
			results[i], errs[i] = c.Import(ctx, "users", crew("Lasher", 500), client.Query{"file": "crew.csv", "reason": "Season", "acknowledge": "wide_gain"})
		})
	}
	wg.Wait()
	made := 0
	for i := range 2 {
		var p *wire.Problem
		switch {
		case errs[i] == nil && !results[i].Unchanged:
			made++
		case errs[i] == nil:
		case errors.As(errs[i], &p) && p.Status == 422 && strings.Contains(p.Faults[0].Message, "is taken"):
		default:
			t.Errorf("ended with %+v (%v)", results[i], errs[i])
		}
	}
	if made != 1 || countOf(t, c, "Lasher") != 500 {
		t.Errorf("made %d times, %d people", made, countOf(t, c, "Lasher"))
	}
}

// An import can be cancelled by whoever began it, and by nobody else; then nothing
// of it is there.
func TestAnImportIsCancelled(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	c, other := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	cancelled := 0
	for round := range 8 {
		title, track := fmt.Sprintf("Rigger%d", round), fmt.Sprintf("crew-%d", round)
		done := make(chan error, 1)
		go func() {
			_, err := c.Import(ctx, "users", crew(title, 6000), client.Query{"file": "crew.csv", "reason": "Season", "track": track, "acknowledge": "wide_gain"})
			done <- err
		}()
		testkit.Until(t, "the import to be under way", func() bool {
			_, err := c.ImportNamed(ctx, track)
			return err == nil || len(done) > 0
		})
		if _, err := other.ImportNamed(ctx, track); err == nil {
			t.Error("somebody else is told of it")
		}
		if err := other.CancelImport(ctx, track); err == nil {
			t.Error("somebody else may cancel it")
		}
		said := c.CancelImport(ctx, track)
		err := <-done
		got := countOf(t, c, title)
		var p *wire.Problem
		switch {
		case said == nil && errors.As(err, &p) && p.Status == 409 && got == 0:
			cancelled++
		case said != nil && err == nil && got == 6000: // too late, or over
		default:
			t.Errorf("cancelling said %v, the import %v, and %d came in", said, err, got)
		}
	}
	if cancelled == 0 {
		t.Error("none was cancelled in time")
	}
}

// Files that are no list of people are refused whole, each with what is wrong.
func TestFilesThatAreNoPeopleAreRefused(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	c := s.SignIn(t, demo.Administrator)
	before, err := c.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil {
		t.Fatal(err)
	}
	long := strings.Repeat("x", 600)
	for _, x := range []struct {
		name, content string
		q             client.Query
		says          []string
	}{
		{"a spreadsheet", "PK\x03\x04" + strings.Repeat("\x00", 1000), nil, []string{"zip archive"}},
		{"a million lines", "user_name\n" + strings.Repeat("a\n", 1_000_000), nil, []string{"past the 500000 rows"}},
		{"an LDIF as CSV", "dn: uid=a,o=x\nuid: a\n", nil, []string{"has the column “dn: uid=a", "has no column user_name"}},
		{"a CSV as LDIF", "user_name,unit\na,b\n", client.Query{"format": "ldif"}, []string{"is no attribute and value"}},
		{"a mapping that is not there", "a\n1\n", client.Query{"mapping": "nothing"}, []string{"there is no mapping “nothing”"}},
		{"every column wrong", "user_name,display_name,email,kind,unit,title,manager,employment_type,location,start_date,end_date,status,roles,groups,permissions,boat_licence,locker,cost_centre,probation_end\n" +
			"a b," + long + ",x,robot,/,\"tab\there\",nobody," + long + "," + long + ",31.1.2026,2026-02-30,gone,no/role;,no-group,x,raft,Z,4711,2027-01-01\n", nil,
			[]string{"line 2, column user_name: must be letters", "column display_name: is longer", "column email: ", "column kind: is person or service", "column unit: ", "column title: has control", "column employment_type: is longer",
				"column location: is longer", "column start_date: ", "column end_date: ", "column status: ", "column roles: has a blank", "column permissions: ", "column boat_licence: “raft” is none of", "column locker: ", "column manager: there is no user", "column groups: there is no group", "column roles: there is no role"}},
		{"circles", "user_name,manager\nx1,x2\nx2,x3\nx3,x1\n", nil, []string{"line 4, column manager: would make a circle of managers"}},
		{"twice", "user_name,unit\nx1,a\nX1,b\n", nil, []string{"line 3, column user_name: “X1” is there twice: line 2"}},
	} {
		q := client.Query{"file": "f.csv", "reason": "Try"}
		for k, v := range x.q {
			q[k] = v
		}
		_, err := c.Import(ctx, "users", []byte(x.content), q)
		var p *wire.Problem
		if !errors.As(err, &p) || p.Status != 422 {
			t.Errorf("%s: %v", x.name, err)
			continue
		}
		var all strings.Builder
		for _, f := range p.Faults {
			fmt.Fprintf(&all, "%s: %s\n", f.Place, f.Message)
		}
		for _, w := range x.says {
			if !strings.Contains(all.String(), w) {
				t.Errorf("%s is told\n%s, want …%s…", x.name, &all, w)
			}
		}
	}
	if after, err := c.Revisions(ctx, client.Query{"limit": "1"}); err != nil || after.Revision != before.Revision {
		t.Errorf("revision %d became %d (%v)", before.Revision, after.Revision, err)
	}
}

// What a source gives straight to a person becomes a role that they alone hold, and
// that does not bear their name; the same again is nothing new, and more is added to
// it.
func TestRightsOfOnePersonBecomeARole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	bring := func(rows string) (wire.ChangeResult, error) {
		return marta.Import(ctx, "users", []byte("user_name,display_name,unit,permissions\n"+rows), client.Query{"file": "x.csv", "reason": "From the old system"})
	}
	first := "zoe.marrick,Zoë Marrick,marine,berth-planning:berths/north-3:read+update;tide-board:tides:read\nines.halloran,,,berth-planning:board:update\n"
	r, err := bring(first)
	if err != nil || !strings.Contains(strings.Join(r.Sentences, "\n"), "3 roles with one holder made or widened, for rights given straight to a person: berth-planning/of-one-1, tide-board/of-one-1, berth-planning/of-one-2") {
		t.Fatalf("%v %v", r.Sentences, err)
	}
	for _, x := range []struct {
		user, action, path string
		may                bool
	}{{"zoe.marrick", "update", "berths/north-3", true}, {"zoe.marrick", "update", "board", false}, {"ines.halloran", "update", "board", true}, {"b.osei", "update", "board", false}} {
		if allowed(t, marta, x.user, "berth-planning", x.action, x.path) != x.may {
			t.Errorf("%+v is not so", x)
		}
	}
	role, err := marta.Role(ctx, "berth-planning/of-one-1", nil)
	if text := fmt.Sprint(role.Key, role.Label, role.Description); err != nil || strings.Contains(strings.ToLower(text), "marrick") {
		t.Errorf("the role names whom a name could be erased of: %s (%v)", text, err)
	}
	if r, err := bring(first); err != nil || !r.Unchanged {
		t.Errorf("the same again: %v %v", r.Sentences, err)
	}
	if r, err := bring("zoe.marrick,,,berth-planning:berths/north-3:read+update;berth-planning:board:update\n"); err != nil || !strings.Contains(strings.Join(r.Sentences, "\n"), "1 role with one holder made or widened, for rights given straight to a person: berth-planning/of-one-1") {
		t.Errorf("more of it: %v %v", r.Sentences, err)
	}
	if !allowed(t, marta, "zoe.marrick", "berth-planning", "update", "board") {
		t.Error("what was added is not given")
	}
	// A role that somebody else came to hold too is not widened for one.
	if _, err := marta.Change(ctx, changeOf("She stands in", grantTo("b.osei", "berth-planning/of-one-2")), false); err != nil {
		t.Fatal(err)
	}
	if r, err := bring("ines.halloran,,,berth-planning:berths/south-1:update\n"); err != nil || !strings.Contains(strings.Join(r.Sentences, "\n"), "berth-planning/of-one-3") {
		t.Errorf("%v %v", r.Sentences, err)
	}
	if allowed(t, marta, "b.osei", "berth-planning", "update", "berths/south-1") {
		t.Error("somebody else got what was meant for one")
	}
	if r, err := bring("x.y,X,marine,sailing:/:read\n"); err == nil {
		t.Errorf("an application that is not there: %v", r.Sentences)
	}
}

// A large import tells each effect once, whoever many it is of, and can be read of at once:
// of its day, of one of its users, and of its history, before its rows are all written.
func TestALargeImportIsToldAndFound(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	file := filepath.Join(t.TempDir(), "crew.csv")
	if err := os.WriteFile(file, crew("Bargee", 6000), 0o600); err != nil {
		t.Fatal(err)
	}
	said := x.says(0, "6000 users added", "users", "import", file, "-reason", "Season", "-acknowledge", "wide_gain")
	if n := strings.Count(said, " gain "); n == 0 || n > 3 || strings.Contains(said, "… and -") {
		t.Errorf("it tells %d effects:\n%s", n, said)
	}
	x.says(0, "cargo-manifests/reader", "users", "show", "bargee.17")
	x.says(0, "Season", "history", "-user", "bargee.17")
	x.says(0, "Season", "history", "-role", "cargo-manifests/reader")
	x.says(0, "bargee.5999", "users", "list", "-q", "bargee.5999", "-as-of", time.Now().UTC().Format(time.RFC3339Nano))
	x.says(0, "verifies", "ledger", "verify")
}
