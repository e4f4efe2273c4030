package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// byKeys is a tab of somebody who has no mouse.
func byKeys(t *testing.T, s *testkit.Service, user string) *testkit.Tab {
	b := testkit.NewTab(t, s.Base)
	b.SignIn(user, demo.Password)
	b.ByKeys = true
	return b
}

// A file of people comes in by a mapping made on the page: its faults are told at
// their lines, then it is mended, looked at and imported.
func TestAFileOfPeopleComesInByConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := byKeys(t, s, demo.Administrator)
	dir := t.TempDir()
	file := func(name, text string) string {
		name = filepath.Join(dir, name)
		if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return name
	}
	bad := file("crews.csv", "Kennung;Name;Abteilung;Eintritt\nzoe.marrick;Zoë Marrick;Krane;01.12.2026\nb.osei;Bettina Osei;Kräne;1.12.\nzoe.marrick;Zoë Marrick;Krane;01.12.2026\n")
	good := file("mended.csv", "Kennung;Name;Abteilung;Eintritt\nzoe.marrick;Zoë Marrick;Krane;01.12.2026\nanselm.dray;Anselm Dray;Krane;24.12.2026\n")
	b.Go("/import")
	b.Upload("File", bad)
	b.Press("Map the columns")
	b.Sees("Rows and users are matched by")
	b.Choose("user_name comes from", "Kennung")
	b.Choose("display_name comes from", "Name")
	b.Sees("Zoë Marrick, Bettina Osei")
	b.Choose("unit comes from", "Abteilung")
	b.Choose("start_date comes from", "Eintritt")
	b.Type("Formats of start_date", "DD.MM.YYYY")
	b.Eval(`document.querySelectorAll('[aria-label="Mapping"] details').forEach(d => { d.open = true })`, nil)
	b.Type("What texts of unit mean", "Krane = terminal/cranes")
	b.Accessible()
	b.Type("Name of the mapping", "Crew lists")
	b.Press("Save the mapping")
	b.Sees("by the mapping Crew lists")
	b.Press("Preview")
	for _, words := range []string{"Nothing was changed", "“Kräne” is none of the texts the mapping knows", "Eintritt", "Abteilung", "Kennung"} {
		b.Sees(words)
	}
	b.Accessible()
	b.Upload("File", good)
	b.Press("Preview")
	b.Sees("2 users added")
	b.Type("Reason", "The winter crews")
	b.Press("Import it")
	b.Sees("Committed as revision")
	b.Accessible()
	marta := s.SignIn(t, demo.Administrator)
	if u, err := marta.User(ctx, "anselm.dray", nil); err != nil || u.Unit != "terminal/cranes" || u.StartDate != "2026-12-24" {
		t.Errorf("%+v %v", u.User, err)
	}
	b.Press("Preview")
	b.Sees("Every row is so already")
	// What is no file of people is refused in words.
	b.Upload("File", file("picture.csv", "\x89PNG\r\n\x1a\n\x00\x00"))
	b.Press("Preview")
	b.Sees("Nothing was changed")
}

// Users are found without writing a filter, shown in chosen columns, kept as a view
// and made a group that follows it.
func TestAViewBecomesAGroupInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := byKeys(t, s, demo.Administrator)
	b.Go("/users")
	b.Press("Build a filter")
	b.Type("Value of condition 1", "marine/tugs")
	b.Press("Add a condition")
	b.Type("Value of condition 2", "engineer")
	b.Press("Show them")
	b.Sees(`within eq "marine/tugs" and title co "engineer"`)
	b.Sees("Tug engineer")
	marta := s.SignIn(t, demo.Administrator)
	want, err := marta.Users(ctx, client.Query{"filter": `within eq "marine/tugs" and title co "engineer"`, "limit": "100"})
	if err != nil || want.Total < 5 {
		t.Fatal(want.Total, err)
	}
	b.Press("Columns")
	b.Tick("Boat licence")
	b.Key("\x1b")
	b.Sees("Boat licence")
	b.Press("Save this view")
	b.Type("Name of the view", "Tug engineers")
	b.Tick("for everybody")
	b.Press("Save")
	b.Sees("shared")
	b.Accessible()
	views, err := marta.Views(ctx)
	if err != nil {
		t.Fatal(err)
	}
	found := false
	for _, v := range views.Views {
		if v.Key == "tug-engineers" {
			found = v.Shared && len(v.Columns) > 4 && v.Search.Filter != ""
		}
	}
	if !found {
		t.Errorf("the view was kept as %+v", views.Views)
	}
	b.Type("Name of a group of them", "Tug engineers")
	b.Press("Make it a group")
	b.Sees("Make the group Tug engineers")
	commit(b, "They are called together")
	b.Go("/groups/tug-engineers?tab=all-members")
	b.Sees(itoa(want.Total) + " users")
	b.Sees("chosen")
	if g, err := marta.GroupMembers(ctx, "tug-engineers", nil); err != nil || g.Total != want.Total {
		t.Errorf("%d in the group, %d in the view (%v)", g.Total, want.Total, err)
	}
}

// A group is made, filled for a time and emptied; it says who is in it and why, and
// may alone be let in.
func TestGroupsInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := byKeys(t, s, demo.Administrator)
	b.Go("/groups")
	b.Press("Make a group")
	b.Type("Name of the group", "Ice watch")
	b.Type("What it is for", "Looks after the ice in the basin")
	b.Press("Add to change sheet")
	commit(b, "Winter")
	b.Go("/groups/ice-watch?tab=members")
	b.Sees("No listed members")
	b.Pick("User to add", "halloran", "Inês Halloran")
	b.Press("Add to change sheet")
	b.Sees("Add Inês Halloran to Ice watch")
	b.Pick("Group to add", "night pil", "Night pilots")
	b.Press("Add to change sheet")
	b.Sees("Add Night pilots to Ice watch")
	commit(b, "Who watches")
	b.Go("/groups/ice-watch?tab=all-members")
	b.Sees("Inês Halloran")
	b.Sees("Night pilots")
	b.Accessible()
	b.Go("/groups/ice-watch?tab=members")
	b.Press("Remove Inês Halloran")
	commit(b, "Is on leave")
	b.Go("/groups/ice-watch?tab=edit")
	b.Sees("Everybody with a password may sign in")
	b.Press("Let only its members sign in")
	b.Sees("you are not in Ice watch yourself")
	b.Press("Discard")
	b.Accessible()
}

// An attribute is declared; a user is given it, made the same as a colleague, and
// departs with what they answer for handed over.
func TestAUserIsLookedAfterInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := byKeys(t, s, demo.Administrator)
	b.Go("/attributes")
	b.Press("Declare an attribute")
	b.Type("Name of the attribute", "Radio call sign")
	b.Press("Add to change sheet")
	commit(b, "The harbour radio asks for it")
	b.Sees("Radio call sign")
	b.Accessible()
	b.Press("Edit Radio call sign")
	b.Accessible()
	b.Type("Allowed values", "Tern four\nTern five")
	b.Press("Add to change sheet")
	commit(b, "There are two")
	b.Sees("one of Tern four and Tern five")
	b.Go("/users/ines.halloran?tab=attributes")
	b.Press("Change")
	b.Choose("Radio call sign", "Tern four")
	b.Accessible()
	b.Press("Add to change sheet")
	commit(b, "Hers since spring")
	if u, err := marta.User(ctx, demo.Pilot, nil); err != nil || u.Custom["radio_call_sign"] != "Tern four" {
		t.Errorf("%v %v", u.Custom, err)
	}
	b.Go("/users/ambroz.whitlock?tab=compare")
	b.Pick("Colleague to compare with", "halloran", "Inês Halloran")
	b.Sees("Given to Inês Halloran and not to Ambroz Whitlock")
	b.Accessible()
	before, err := marta.CompareUsers(ctx, "ambroz.whitlock", client.Query{"with": demo.Pilot})
	if err != nil || len(before.Groups)+len(before.Roles) < 2 {
		t.Fatal(before, err)
	}
	b.Press("Add " + itoa(len(before.Groups)+len(before.Roles)) + " items to change sheet")
	b.Sees("Give Ambroz Whitlock what Inês Halloran has")
	commit(b, "Stands in for her")
	if after, err := marta.CompareUsers(ctx, "ambroz.whitlock", client.Query{"with": demo.Pilot}); err != nil || len(after.Groups)+len(after.Roles) != 0 {
		t.Errorf("left %+v (%v)", after, err)
	}
	b.Go("/users/tomas.brandt?tab=attributes")
	b.Press("Depart")
	b.Sees("They own")
	b.Pick("Hand over to", "halloran", "Inês Halloran")
	b.Accessible()
	b.Press("Add to change sheet")
	b.Sees("what they own goes to Inês Halloran")
	b.Press("Discard")
}

// A delegation is granted and revoked; the delegate finds it under
// Mine, and what of a change is not theirs goes to who may make it.
func TestWorkIsHandedOutAndPassedOnInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := byKeys(t, s, demo.Administrator)
	b.Go("/delegations")
	b.Sees("Marine team manager")
	b.Press("Add the ready-made roles")
	b.Sees("The ready-made roles were added.")
	b.Press("Add a delegation")
	b.Pick("To a user", "halloran", "Inês Halloran")
	b.Choose("As", "team-manager")
	b.Type("Users in these units", "terminal/cranes")
	b.Tick("Crane control")
	b.Sees("Limited to people and groups in terminal/cranes and the roles of Crane control")
	b.Accessible()
	b.Press("Add to change sheet")
	b.Tick("I acknowledge this")
	commit(b, "Stands in for the crane master")
	b.Sees("roles of people in terminal/cranes")
	ines := byKeys(t, s, demo.Pilot)
	ines.Go("/my-access")
	ines.Sees("Your delegations")
	ines.Sees("You may see, add and change people in terminal/cranes")
	ines.Accessible()
	b.Tick("Pick Inês Halloran")
	b.Press("Revoke")
	commit(b, "The crane master is back")
	ines.Go("/my-access")
	ines.SeesNot("Your delegations")

	// The marine manager may change her title, and not move her to the office.
	tomas := byKeys(t, s, demo.Manager)
	tomas.Go("/users/ines.halloran?tab=attributes")
	tomas.Press("Change")
	tomas.Eval(`document.querySelector('form[aria-label^="Change"]') !== null`, nil)
	manager, err := marta.User(ctx, demo.Manager, nil)
	if err != nil {
		t.Fatal(err)
	}
	onSheet(t, tomas, manager.ID, "Move", "Inês Halloran to office", `{"op":"update_user","user":"ines.halloran","unit":"office"}`)
	onSheet(t, tomas, manager.ID, "Name", "Inês Halloran a master of ropes", `{"op":"update_user","user":"ines.halloran","title":"Master of ropes"}`)
	tomas.Go("/today")
	tomas.Sees("For somebody else to make")
	tomas.Sees("Pass 1 change on")
	tomas.Accessible()
	tomas.Type("Reason", "She leaves the boats")
	tomas.Press("Pass 1 change on")
	tomas.Sees("Passed on to anybody who may make it, as pending-change-1")
	tomas.Press("Commit 1 change")
	tomas.Sees("Committed as revision")
	tomas.Go("/today")
	tomas.Sees("waits for anybody who may make it")
	b.Go("/today")
	b.Sees("Pending changes you may make")
	b.Sees("Move Inês Halloran to office")
	b.Accessible()
	b.Press("Add to change sheet")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	if u, err := marta.User(ctx, demo.Pilot, nil); err != nil || u.Unit != "office" || u.Title != "Master of ropes" {
		t.Errorf("%+v %v", u.User, err)
	}
	revs, err := marta.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil || revs.Revisions[0].Reason != "Passed on by Tomas Brandt: She leaves the boats" {
		t.Errorf("%+v %v", revs.Revisions[0], err)
	}
	tomas.Go("/today")
	tomas.Sees("made by Marta Quill")
	b.Go("/ledger")
	b.Press("Tried and refused")
	b.Accessible()
}

// onSheet puts an operation on the change sheet of a user as a page would.
func onSheet(t *testing.T, b *testkit.Tab, user, verb, what, op string) {
	t.Helper()
	var kept struct {
		Lines   []map[string]any `json:"lines"`
		BasedOn int64            `json:"basedOn"`
		Reason  string           `json:"reason"`
	}
	key := js("draft " + user + " sheet")
	var raw string
	b.Eval(`sessionStorage.getItem(`+key+`) ?? "{}"`, &raw)
	if err := json.Unmarshal([]byte(raw), &kept); err != nil {
		t.Fatal(err)
	}
	kept.Lines = append(kept.Lines, map[string]any{"id": what, "verb": verb, "what": what, "operations": changeOf("", op).Operations})
	out, err := json.Marshal(kept)
	if err != nil {
		t.Fatal(err)
	}
	b.Eval(`sessionStorage.setItem(`+key+`, `+js(string(out))+`)`, nil)
}

// Where attributes come from is set in a panel; the form of a user then leaves them to there, and says
// so.
func TestWhereAttributesComeFromInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Go("/machine-accounts")
	b.Press("Set what comes from Berth board")
	b.Choose("Title", "attributes")
	b.Choose("Location", "overridable")
	b.Type("Users it is for", `within eq "marine/pilotage"`)
	b.Accessible()
	b.Press("Add to change sheet")
	b.Sees("the attributes that come from Berth board")
	commits(b, "Personnel says so")
	b.Sees("Title and location of users in Marine / Pilotage and below come from it.")
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Sees("from Berth board, may be changed here")
	b.Press("Change")
	b.Sees("Title comes from Berth board, and is changed there.")
	b.Set("Location", "Lock")
	b.Press("Add to change sheet")
	commits(b, "She moved")
	b.Go("/users/b.osei?tab=attributes")
	b.Press("Change")
	b.Sees("Title")
	b.SeesNot("Berth board")
}
