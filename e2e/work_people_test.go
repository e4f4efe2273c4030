package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/xuri/excelize/v2"
)

// A view is one's own until it is shared, which is for whoever writes the settings;
// what would not work is refused whole.
func TestViewsAreSavedAndShared(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	keys := func(c *client.Client) (out []string) {
		l, err := c.Views(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, v := range l.Views {
			out = append(out, v.Key)
		}
		slices.Sort(out)
		return out
	}
	before := keys(marta)
	tugs := wire.ViewRequest{Label: "Tugs", Search: wire.ViewSearch{Filter: `within eq "marine/tugs"`, Sort: "-start_date"}, Columns: []string{"name", "boat_licence"}}
	if err := tomas.PutView(ctx, "tugs", tugs); err != nil {
		t.Fatal(err)
	}
	if !slices.Contains(keys(tomas), "tugs") || !slices.Equal(keys(marta), before) {
		t.Errorf("his: %v, hers: %v", keys(tomas), keys(marta))
	}
	problem(t, marta.DeleteView(ctx, "tugs"), 404, "not-found")
	tugs.Shared = true
	problem(t, tomas.PutView(ctx, "tugs", tugs), 403, "refused")
	if err := marta.PutView(ctx, "crews", tugs); err != nil {
		t.Fatal(err)
	}
	if !slices.Contains(keys(tomas), "crews") {
		t.Error("what is shared does not reach him")
	}
	problem(t, tomas.DeleteView(ctx, "crews"), 404, "not-found") // it is not his
	// The same key is his own too, and not a second shared one.
	tugs.Shared = false
	if err := tomas.PutView(ctx, "crews", tugs); err != nil {
		t.Error(err)
	}
	p := problem(t, tomas.PutView(ctx, "Wrong Key", wire.ViewRequest{Label: " ", Search: wire.ViewSearch{Filter: "unit is", Sort: "colour"}, Columns: []string{"name", "shoe_size"}}), 422, "invalid")
	if text := fmt.Sprint(p.Faults); !strings.Contains(text, "shoe_size") || !strings.Contains(text, "key") || !strings.Contains(text, "blank") || !strings.Contains(text, "column 6") {
		t.Errorf("not every fault is named: %s", text)
	}
	if err := marta.DeleteView(ctx, "crews"); err != nil {
		t.Error(err)
	}
	// What a filter may not read is refused in a view as in a list.
	problem(t, marta.PutView(ctx, "secret", wire.ViewRequest{Label: "x", Search: wire.ViewSearch{Filter: `password eq "x"`}}), 422, "invalid")
	for i := len(keys(tomas)); i < 210; i++ {
		if err := tomas.PutView(ctx, fmt.Sprintf("view-%d", i), wire.ViewRequest{Label: "View"}); err != nil {
			if p := problem(t, err, 422, "invalid"); i < 150 || !strings.Contains(p.Faults[0].Message, "as many as one may") {
				t.Errorf("view %d: %+v", i, p)
			}
			return
		}
	}
	t.Error("views without number are kept")
}

// A list comes as CSV and as XLSX with the same rows and columns as it is seen,
// within one's rights, and nothing in it is taken for a formula.
func TestListsAreSavedAsFiles(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	if _, err := marta.Change(ctx, changeOf("A name to try", `{"op":"add_user","user_name":"lissandra","display_name":"=HYPERLINK(\"http://elsewhere.example\")","unit":"marine/tugs","title":"@SUM(A1)"}`), false); err != nil {
		t.Fatal(err)
	}
	ask := client.Query{"unit": "marine/tugs", "sort": "-user_name", "columns": "user_name,display_name,title,unit"}
	csvOf := func(c *client.Client, list string, q client.Query) [][]string {
		t.Helper()
		q["format"] = "csv"
		raw, err := c.ListFile(ctx, list, q)
		if err != nil {
			t.Fatal(list, err)
		}
		rows, err := csv.NewReader(bytes.NewReader(raw)).ReadAll()
		if err != nil {
			t.Fatal(list, err)
		}
		return rows
	}
	rows := csvOf(marta, "users", ask)
	seen, err := marta.Users(ctx, client.Query{"unit": "marine/tugs", "sort": "-user_name", "limit": "500"})
	if err != nil || len(rows) != seen.Total+1 || seen.Total < 10 {
		t.Fatalf("%d rows of %d (%v)", len(rows)-1, seen.Total, err)
	}
	ask["format"] = "xlsx"
	raw, err := marta.ListFile(ctx, "users", ask)
	if err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(bytes.NewReader(raw))
	if err != nil {
		t.Fatal(err)
	}
	cells, err := book.GetRows(book.GetSheetName(0))
	if err != nil || len(cells) != len(rows) {
		t.Fatalf("%d rows, want %d (%v)", len(cells), len(rows), err)
	}
	found := false
	for i, u := range seen.Users {
		want := []string{u.UserName, u.DisplayName, u.Title, u.Unit}
		for k, text := range want {
			plain := strings.TrimPrefix(rows[i+1][k], "'")
			if plain != text || rows[i+1][k] != text && !strings.ContainsAny(text[:1], "=+-@") {
				t.Errorf("CSV says %q of %q", rows[i+1][k], text)
			}
			cell, _ := excelize.CoordinatesToCellName(k+1, i+2)
			formula, err := book.GetCellFormula(book.GetSheetName(0), cell)
			if value, _ := book.GetCellValue(book.GetSheetName(0), cell); value != text || formula != "" || err != nil {
				t.Errorf("XLSX says %q (formula %q) of %q", value, formula, text)
			}
		}
		if u.UserName == "lissandra" {
			found = rows[i+1][1][0] == '\'' && rows[i+1][2][0] == '\''
		}
	}
	if !found {
		t.Error("a formula goes out as one")
	}
	// Every list of the console has a file, cut to its reader.
	for _, list := range []string{"users", "groups", "roles", "applications", "assignments", "delegations", "attributes", "requests", "reviews", "revisions", "defaults", "sod-rules", "expectations", "findings", "refusals",
		"security-log", "groups/pilots/members", "reviews/marine-winter/items", "roles/berth-planning%2Freader/holders"} {
		if rows := csvOf(marta, list, client.Query{}); len(rows) < 2 && list != "refusals" {
			t.Errorf("%s: %v", list, rows)
		}
	}
	// Who gained and lost what is told a line each.
	lines, told := csvOf(marta, "gained-and-lost", client.Query{"from": "2026-01-01T00:00:00Z"}), map[string]int{}
	for _, line := range lines[1:] {
		told[line[slices.Index(lines[0], "what")]+" "+line[slices.Index(lines[0], "application_key")]]++
	}
	if told["gained berth-planning"] == 0 || told["lost berth-planning"] == 0 {
		t.Errorf("%v of %v", told, lines[0])
	}
	for _, row := range csvOf(tomas, "users", client.Query{"columns": "unit"})[1:] {
		if !strings.HasPrefix(row[0], "marine") {
			t.Errorf("the marine manager's file has somebody of %s", row[0])
		}
	}
	for list, q := range map[string]client.Query{"me": {}, "nothing": {}, "users?x": {}, "files/users": {}, "../users": {}, "users.csv": {}, "openapi.json": {}} {
		_, err := marta.ListFile(ctx, list, q)
		var p *wire.Problem
		if !errors.As(err, &p) || p.Status != 422 && p.Status != 404 {
			t.Errorf("%s is taken for a list: %v", list, err)
		}
	}
	_, err = marta.ListFile(ctx, "users", client.Query{"columns": "shoe_size"})
	problem(t, err, 422, "invalid")
}

// Who is in a group, with why, is whom the list of users finds in it, which counts
// otherwise.
func TestTheMembersOfAGroupAreThoseItHas(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("Nested, dated and by rule",
		`{"op":"add_group","key":"outer"}`, `{"op":"add_group","key":"middle","filter":"title eq \"Senior pilot\""}`, `{"op":"add_member","group":"outer","member_group":"middle"}`,
		`{"op":"add_member","group":"middle","user":"ines.halloran"}`, `{"op":"add_member","group":"outer","user":"marta.quill","until":"2099-01-01T00:00:00Z"}`,
		`{"op":"add_member","group":"outer","user":"b.osei","from":"2098-01-01T00:00:00Z"}`), false); err != nil {
		t.Fatal(err)
	}
	groups, err := marta.Groups(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	ways := map[string]int{}
	for _, g := range groups.Groups {
		if g.Key == "public" {
			continue
		}
		var got, want []string
		for cursor := ""; ; {
			page, err := marta.GroupMembers(ctx, g.Key, client.Query{"limit": "100", "cursor": cursor})
			if err != nil {
				t.Fatal(err)
			}
			for _, m := range page.Members {
				got = append(got, m.User.Key)
				ways[m.How]++
				if m.How == "rule" && m.Rule == "" || m.How == "group" && len(m.Through) == 0 {
					t.Errorf("%s is in %s, and it is not said why: %+v", m.User.Key, g.Key, m)
				}
			}
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		for cursor := ""; ; {
			page, err := marta.Users(ctx, client.Query{"group": g.Key, "limit": "500", "cursor": cursor})
			if err != nil {
				t.Fatal(err)
			}
			for _, u := range page.Users {
				want = append(want, u.UserName)
			}
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%s has %v, want %v", g.Key, got, want)
		}
	}
	for _, how := range []string{"listed", "group", "rule", "everybody"} {
		if ways[how] == 0 {
			t.Errorf("nobody is in a group so: %s", how)
		}
	}
}

// Whoever is given what a colleague was given lacks nothing more of it, and what
// they had stays.
func TestCopyingAColleagueMakesThemAlike(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("New on the team", `{"op":"add_user","user_name":"zoe.marrick","unit":"finance"}`), false); err != nil {
		t.Fatal(err)
	}
	list, err := marta.Users(ctx, client.Query{"status": "active", "limit": "200"})
	if err != nil {
		t.Fatal(err)
	}
	copied := 0
	for _, u := range list.Users {
		c, err := marta.CompareUsers(ctx, "zoe.marrick", client.Query{"with": u.UserName})
		if err != nil {
			t.Fatal(err)
		}
		var ops []json.RawMessage
		add := func(op map[string]any) {
			raw, _ := json.Marshal(op)
			ops = append(ops, raw)
		}
		for _, g := range c.Groups {
			add(g.Operation)
		}
		for _, r := range c.Roles {
			add(r.Operation)
		}
		if len(ops) == 0 || copied == 25 {
			continue
		}
		copied++
		_, err = marta.Change(ctx, wire.ChangeRequest{Reason: "As " + u.UserName, Operations: ops}, false)
		var p *wire.Problem
		if errors.As(err, &p) && p.Type == "guard-rail" {
			continue // an SoD rule, or a right to administer: not given silently
		}
		if err != nil {
			t.Fatalf("as %s: %v", u.UserName, err)
		}
		after, err := marta.CompareUsers(ctx, "zoe.marrick", client.Query{"with": u.UserName})
		if err != nil || len(after.Groups)+len(after.Roles) > 0 {
			t.Errorf("as %s, there is left %+v %+v (%v)", u.UserName, after.Groups, after.Roles, err)
		}
		// Whatever she still lacks comes by a rule over what the colleague is.
		if len(after.Lacks) > len(c.Lacks) || len(after.OwnGroups)+len(after.OwnRoles) < len(c.OwnGroups)+len(c.OwnRoles) {
			t.Errorf("as %s, she lacks %d after %d, and has %d and %d of her own", u.UserName, len(after.Lacks), len(c.Lacks), len(after.OwnGroups), len(after.OwnRoles))
		}
	}
	if copied < 20 {
		t.Errorf("only %d colleagues were copied", copied)
	}
}

// A delegation is granted in plain words, does what they say, and is taken
// back.
func TestPartsOfTheWorkAreHandedOut(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	x.says(0, "Added the role Team manager", "file", "load", testkit.Root()+"/docs/examples/ready-made-roles.yaml", "-reason", "Parts of the work")
	x.says(0, "Granted", "grant", "ines.halloran", "team-manager", "-within", "able-roster:users/terminal/cranes", "-within", "able-roster:roles/crane-control", "-within", "able-roster:applications/crane-control",
		"-reason", "Stands in for the crane master", "-acknowledge", "administering_gain")
	text := x.says(0, "Inês Halloran", "delegations", "list")
	for _, words := range []string{"roles of people in terminal/cranes", "grant and revoke roles of Crane control"} {
		if !strings.Contains(text, words) {
			t.Errorf("says nothing of %q:\n%s", words, text)
		}
	}
	y := at(t, s, demo.Pilot)
	y.says(0, "roles of people in terminal/cranes", "my-access")
	list, err := s.SignIn(t, demo.Pilot).Users(ctx, client.Query{"limit": "500"})
	if err != nil || list.Total < 5 {
		t.Fatal(list.Total, err)
	}
	crane := ""
	for _, u := range list.Users {
		if u.UserName != demo.Pilot && u.Unit != "terminal/cranes" {
			t.Errorf("she sees %s of %s", u.UserName, u.Unit)
		} else if u.UserName != demo.Pilot && u.Status == "active" {
			crane = u.UserName
		}
	}
	y.says(0, "Done, as revision", "grant", crane, "crane-control/observer", "-until", "2098-01-01", "-reason", "Night shift")
	y.says(3, "there is no user", "grant", "b.osei", "crane-control/observer", "-reason", "Not hers")
	x.says(0, "Revoked", "revoke", "ines.halloran", "team-manager", "-reason", "The crane master is back")
	y.says(3, "there is no user", "grant", crane, "crane-control/observer", "-reason", "Not hers any more")
}

// My access is what anybody who may see it is told of me, with who gave it to me.
func TestMyAccessIsWhatIHave(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines, marta := s.SignIn(t, demo.Pilot), s.SignIn(t, demo.Administrator)
	mine, err := ines.MyAccess(ctx)
	if err != nil {
		t.Fatal(err)
	}
	all, err := marta.Access(ctx, demo.Pilot, nil)
	if err != nil || len(all.Lines) < 10 {
		t.Fatal(err)
	}
	if a, b := texts(t, mine.Access.Lines), texts(t, all.Lines); a != b {
		t.Errorf("mine:\n%s\nto the administrator:\n%s", a, b)
	}
	named := 0
	for _, a := range mine.User.Assignments {
		if a.Given != nil && a.Given.By != nil && a.Given.By.Key == demo.Administrator {
			named++
		}
	}
	if named == 0 || mine.Manager == nil || mine.Manager.Key == "" {
		t.Errorf("who gave it to me is not named: %+v, manager %+v", mine.User.Assignments, mine.Manager)
	}
}

// texts are what access lines say, without what depends on who asks.
func texts(t *testing.T, lines any) string {
	t.Helper()
	raw, err := json.Marshal(lines)
	if err != nil {
		t.Fatal(err)
	}
	var all []struct {
		Application struct{ Key string }
		Action      string
		Target      string
	}
	if err := json.Unmarshal(raw, &all); err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, l := range all {
		out = append(out, l.Application.Key+" "+l.Action+" "+l.Target)
	}
	return strings.Join(out, "\n")
}

// Whoever departs hands over what they answer for in the same change.
func TestWhoDepartsHandsOver(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	x := at(t, s, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("Answers for things", `{"op":"update_group","group":"pilots","owner":"tomas.brandt"}`, `{"op":"update_application","application":"pilot-roster","owner":"tomas.brandt"}`,
		`{"op":"update_role","role":"pilot-roster/planner","owner":"tomas.brandt"}`), false); err != nil {
		t.Fatal(err)
	}
	before, err1 := marta.Owned(ctx, demo.Manager, nil)
	had, err2 := marta.Owned(ctx, "ines.halloran", nil)
	if err1 != nil || err2 != nil || len(before.People) < 3 {
		t.Fatal(before, err1, err2)
	}
	x.says(3, "is the same user", "users", "depart", demo.Manager, "-hand-over-to", demo.Manager, "-reason", "To himself")
	x.says(0, "Inês Halloran", "users", "depart", demo.Manager, "-hand-over-to", "ines.halloran", "-reason", "Retires", "-acknowledge", "wide_loss")
	after, err1 := marta.Owned(ctx, demo.Manager, nil)
	has, err2 := marta.Owned(ctx, "ines.halloran", nil)
	if n := len(after.Applications) + len(after.Roles) + len(after.Groups) + len(after.Expectations) + len(after.People); err1 != nil || n != 0 {
		t.Errorf("left behind: %+v (%v)", after, err1)
	}
	for _, pair := range [][3][]wire.Ref{{before.Applications, had.Applications, has.Applications}, {before.Roles, had.Roles, has.Roles}, {before.Groups, had.Groups, has.Groups}, {before.Expectations, had.Expectations, has.Expectations}} {
		if len(pair[2]) != len(pair[0])+len(pair[1]) || len(pair[0]) == 0 && len(pair[1]) > 0 {
			t.Errorf("of %v and %v she has %v", pair[0], pair[1], pair[2])
		}
	}
	if err2 != nil || len(has.People) < len(before.People)-1 {
		t.Errorf("%d people report to her, of %d (%v)", len(has.People), len(before.People), err2)
	}
}

// Only the members of a group may sign in, if so set: the others are out at once,
// with their tokens, and nobody shuts themselves out. Machine accounts go on.
func TestOnlyAGroupSignsIn(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
	x := at(t, s, demo.Administrator)
	x.says(3, "you are not in Pilots yourself", "settings", "sign-in", "pilots", "-reason", "Pilots alone")
	x.says(3, "bounds nobody", "settings", "sign-in", "all-users", "-reason", "All")
	x.says(3, "there is no group", "settings", "sign-in", "sailors", "-reason", "All")
	var token wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "test", User: demo.BerthBoard}, &token); err != nil {
		t.Fatal(err)
	}
	if _, err := marta.Change(ctx, changeOf("Who is at the desk", `{"op":"add_group","key":"desk","label":"The desk"}`, `{"op":"add_member","group":"desk","user":"marta.quill"}`), false); err != nil {
		t.Fatal(err)
	}
	x.says(0, "Only the group The desk may sign in", "settings", "sign-in", "desk", "-reason", "Storm watch")
	_, err := ines.Me(ctx)
	problem(t, err, 401, "not-signed-in")
	in := func(user string) error {
		_, err := (&client.Client{Base: s.Base}).SignIn(ctx, user, demo.Password, "test")
		return err
	}
	problem(t, in(demo.Pilot), 401, "not-signed-in")
	if err := in(demo.Administrator); err != nil {
		t.Error(err)
	}
	if _, err := (&client.Client{Base: s.Base, Token: token.Secret}).Me(ctx); err != nil {
		t.Errorf("a machine account is shut out: %v", err)
	}
	// What she may do in the applications is not touched.
	if !allowed(t, marta, demo.Pilot, "berth-planning", "read", "board") {
		t.Error("her access went with her sign-in")
	}
	// The last who may sign in and administer is not put out of the group.
	_, err = marta.Change(ctx, changeOf("Out", `{"op":"remove_member","group":"desk","user":"marta.quill"}`), false)
	if p := problem(t, err, 409, "guard-rail"); p.Rails[0].Code != "last_administrator" {
		t.Errorf("%+v", p.Rails)
	}
	if _, err := marta.Change(ctx, changeOf("Ines too", `{"op":"add_member","group":"desk","user":"ines.halloran"}`), false); err != nil {
		t.Fatal(err)
	}
	if _, err := ines.Me(ctx); err != nil {
		t.Errorf("in the group, her token is still out: %v", err)
	}
	x.says(0, "Everybody with a password or a token may sign in", "settings", "sign-in", "-reason", "The storm is over")
	if err := in(demo.Manager); err != nil {
		t.Error(err)
	}
	// Recovery on the host lets everybody in again.
	x.says(0, "Only the group", "settings", "sign-in", "desk", "-reason", "Once more")
	testkit.Run(t, "", "rosterd", "recover", "-user", demo.Manager, "-database-url", database)
	testkit.Until(t, "the service to follow", func() bool { return in(demo.Pilot) == nil })
}

// A part of a change that one may not make goes to who may, is made once, or comes
// back; nobody else learns of it.
func TestAPartIsPassedOn(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager), s.SignIn(t, demo.Pilot)
	own, other := `{"op":"update_user","user":"ines.halloran","title":"Master of ropes"}`, `{"op":"update_user","user":"ines.halloran","unit":"office"}`
	_, err := tomas.Change(ctx, changeOf("She moves", own, other), true)
	p := problem(t, err, 403, "refused")
	if p.Split == nil || !slices.Equal(p.Split.Mine, []int{0}) || !slices.Equal(p.Split.Others, []int{1}) || len(p.Split.Can) != 0 {
		t.Fatalf("the change is split as %+v", p.Split)
	}
	lines := func(ops ...string) []wire.PendingLine {
		return []wire.PendingLine{{Words: "Move her", Operations: changeOf("", ops...).Operations}}
	}
	pass := func(c *client.Client, to, reason string, ops ...string) (wire.PendingChange, error) {
		return c.AddPendingChange(ctx, wire.PendingChangeRequest{To: to, Reason: reason, Lines: lines(ops...)})
	}
	refused := func(place, says string, err error) {
		t.Helper()
		p := problem(t, err, 422, "invalid")
		if len(p.Faults) == 0 || p.Faults[0].Place != place || !strings.Contains(p.Faults[0].Message, says) {
			t.Errorf("told %+v, want %s: %s", p.Faults, place, says)
		}
	}
	_, err = pass(tomas, "", "x", own)
	refused("/lines", "you may make all of this yourself", err)
	_, err = pass(tomas, "", " ", other)
	refused("/reason", "is missing", err)
	_, err = pass(tomas, "ines.halloran", "x", other)
	refused("/to", "may not make it either", err)
	_, err = pass(tomas, "marta.quill", "x", other)
	_, err2 := pass(tomas, "nobody.here", "x", other)
	refused("/to", "there is no user “marta.quill”", err) // as for a name nobody bears
	refused("/to", "there is no user “nobody.here”", err2)
	_, err = pass(tomas, "", "x", `{"op":"sail"}`, grantTo("ines.halloran", "auditor"))
	refused("/lines/0/operations/0/op", "", err)
	_, err = pass(tomas, "", "x", grantTo("ines.halloran", "auditor"))
	refused("/lines/0/operations/0/role", "there is no role “auditor”", err)

	first, err := pass(tomas, "", "She moves to the office", other)
	if err != nil || first.State != "waiting" || len(first.Sentences) != 1 || !strings.Contains(first.Sentences[0], "Move Inês Halloran to office") {
		t.Fatalf("%+v %v", first, err)
	}
	second, err := pass(tomas, "", "Thirty days are enough", `{"op":"update_role","role":"berth-planning/planner","max_days":30}`)
	if err != nil {
		t.Fatal(err)
	}
	list := func(c *client.Client) wire.PendingChangeList {
		t.Helper()
		l, err := c.PendingChanges(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return l
	}
	if l := list(ines); len(l.ToMake)+len(l.Mine) != 0 {
		t.Errorf("who has nothing to do with it sees %+v", l)
	}
	problem(t, ines.RefusePendingChange(ctx, first.ID, "no"), 404, "not-found")
	problem(t, ines.WithdrawPendingChange(ctx, first.ID), 404, "not-found")
	problem(t, tomas.RefusePendingChange(ctx, first.ID, "no"), 404, "not-found")
	l := list(marta)
	if len(l.ToMake) != 3 || l.ToMake[2].Round == nil || l.ToMake[0].Author.Key != demo.Manager || l.ToMake[0].Reason != "She moves to the office" {
		t.Fatalf("she is to make %+v", l.ToMake)
	}
	make := func(c *client.Client, part string, ops []json.RawMessage) (wire.ChangeResult, error) {
		return c.Change(ctx, wire.ChangeRequest{Reason: "Passed on", Operations: ops, PendingChanges: []string{part}}, false)
	}
	_, err = make(ines, first.ID, changeOf("", `{"op":"update_user","user":"ines.halloran","title":"x"}`).Operations)
	refused("/pending_changes/0", "no pending change", err)
	done, err := make(marta, first.ID, l.ToMake[0].Lines[0].Operations)
	if err != nil || done.Unchanged {
		t.Fatal(done, err)
	}
	problem(t, marta.RefusePendingChange(ctx, second.ID, " "), 422, "invalid")
	if err := marta.RefusePendingChange(ctx, second.ID, "Sixty, please"); err != nil {
		t.Fatal(err)
	}
	mine := list(tomas).Mine
	if len(mine) != 2 || mine[1].State != "made" || mine[1].Revision != done.Revision || mine[0].State != "refused" || mine[0].Answer != "Sixty, please" || mine[0].EndedBy.Key != demo.Administrator || len(mine[0].Sentences) != 1 || len(mine[0].Lines) != 0 {
		t.Errorf("he is told %+v", mine)
	}
	third, err := pass(tomas, "", "Again", `{"op":"update_role","role":"berth-planning/planner","max_days":60}`)
	if err != nil {
		t.Fatal(err)
	}
	if err := tomas.WithdrawPendingChange(ctx, third.ID); err != nil {
		t.Fatal(err)
	}
	problem(t, tomas.WithdrawPendingChange(ctx, third.ID), 404, "not-found")
	if l := list(marta); len(l.ToMake) != 1 || l.ToMake[0].Round == nil { // what a review left
		t.Errorf("still to make: %+v", l.ToMake)
	}
	// The command line does the same, and says so.
	x, y := at(t, s, demo.Manager), at(t, s, demo.Administrator)
	x.says(0, "Passed on to anybody who may make it", "roles", "change", "berth-planning/planner", "-max-days", "60", "-reason", "Sixty then", "-pass-on")
	y.says(0, "Week planner", "pending", "list")
	y.says(0, "Nothing was changed", "pending", "make", "pending-change-4", "-dry-run")
	y.says(0, "Done, as revision", "pending", "make", "pending-change-4")
	y.says(0, "Passed on by Tomas Brandt: Sixty then", "history")
	x.says(0, "made by Marta Quill", "pending", "list")
}

// What somebody tried and may not is kept for whoever reads the ledger, the same of
// one day once; what was only asked is not.
func TestWhatIsRefusedIsRecorded(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	try := changeOf("x", `{"op":"update_user","user":"ines.halloran","unit":"finance"}`)
	for range 3 {
		_, err := tomas.Change(ctx, try, false)
		problem(t, err, 403, "refused")
	}
	_, err := tomas.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","unit":"safety"}`), true)
	problem(t, err, 403, "refused")
	problem(t, tomas.PutView(ctx, "mine", wire.ViewRequest{Label: "Mine", Shared: true}), 403, "refused")
	l, err := marta.Refusals(ctx)
	if err != nil || len(l.Refusals) != 2 {
		t.Fatalf("%+v %v", l.Refusals, err)
	}
	if r := l.Refusals[1]; r.Times != 3 || r.User.Key != demo.Manager || r.Call != "POST /api/v1/changes" || !strings.Contains(r.Detail, "you may not move users to finance") {
		t.Errorf("%+v", r)
	}
	_, err = tomas.Refusals(ctx)
	problem(t, err, 403, "refused")
	if status, body := raw(t, marta, "/files/"+url.PathEscape("refusals")+"?format=csv"); status != 200 || strings.Count(body, "\n") != 3 {
		t.Errorf("%d %s", status, body)
	}
}

// The guide "Delegating, and the rest of the week".
func TestTheRestOfTheWeek(t *testing.T) {
	w := newWalk(t, "docs/guide/delegating.md")
	w.step(0, "Signed in")
	w.step(0, "pilots.xlsx")
	w.step(0, "Inês Halloran alone")
	w.step(0, "listed")
	w.step(0, "Nothing was changed")
	w.step(0, "Signed in")
	w.step(0, "Passed on to anybody who may make it, as pending-change-1")
	w.step(0, "waiting")
	w.step(0, "Signed in")
	w.step(0, "Move Inês Halloran to office")
	w.step(0, "Nothing was changed")
	w.step(0, "Done, as revision")
	w.step(0, "may see, add, change, grant, revoke and evaluate access to everything")
	w.done()
}

// Where a second person is needed, one prepares the change and passes it on, and another
// one makes it; a part of something else does not stand for it.
func TestASecondPersonMakesWhatOnePrepared(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, acknowledged(changeOf("x", grantTo(demo.Auditor, "access-administrator")), "administering_gain"), false); err != nil {
		t.Fatal(err)
	}
	osei := s.SignIn(t, demo.Auditor)
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"set_second_person","own_gains":true,"high_risk_roles":false,"safeguards":true}`), false); err != nil {
		t.Fatal(err)
	}
	own := grantTo(demo.Administrator, "crane-control/operator")
	_, err := marta.Change(ctx, changeOf("Covers", own), false)
	if p := problem(t, err, 409, "guard-rail"); len(p.Rails) != 1 || p.Rails[0].Code != "second_person" || p.Rails[0].Passable {
		t.Errorf("%+v", p.Rails)
	}
	problem(t, func() error {
		_, err := marta.Change(ctx, acknowledged(changeOf("Covers", own), "second_person"), false)
		return err
	}(), 409, "guard-rail")
	pass := func(c *client.Client, op string) wire.PendingChange {
		t.Helper()
		p, err := c.AddPendingChange(ctx, wire.PendingChangeRequest{Reason: "Please", Lines: []wire.PendingLine{{Words: "x", Operations: changeOf("", op).Operations}}})
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	part := pass(marta, own)
	with := func(c *client.Client, parts []string, ops ...string) error {
		req := changeOf("Seen", ops...)
		req.PendingChanges = parts
		_, err := c.Change(ctx, req, false)
		return err
	}
	if p := problem(t, with(osei, []string{part.ID}, grantTo(demo.Pilot, "crane-control/operator")), 422, "invalid"); p.Faults[0].Place != "/pending_changes/0" {
		t.Errorf("something else was made in its place: %+v", p.Faults)
	}
	// A small part of the other's does not carry one's own gain along.
	small := pass(osei, `{"op":"set_second_person","own_gains":false,"high_risk_roles":false,"safeguards":false}`)
	problem(t, with(marta, []string{small.ID}, `{"op":"set_second_person","own_gains":false,"high_risk_roles":false,"safeguards":false}`, own), 409, "guard-rail")
	if err := with(osei, []string{part.ID}, own); err != nil {
		t.Fatal(err)
	}
	if err := with(marta, []string{small.ID}, `{"op":"set_second_person","own_gains":false,"high_risk_roles":false,"safeguards":false}`); err != nil {
		t.Fatal(err)
	}
}
