package e2e

import (
	"slices"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// commit commits what is on the sheet, for a reason.
func commit(b *testkit.Tab, reason string) {
	b.Type("Reason", reason)
	b.Press("Commit")
	b.Sees("Committed as revision")
	b.Press("Close")
}

// focus puts the keyboard on the element that bears a label, once it is drawn.
func focus(t *testing.T, b *testkit.Tab, label string) { onceDrawn(t, b, label, "focus") }

// onceDrawn does something with the element whose label begins so.
func onceDrawn(t *testing.T, b *testkit.Tab, label, what string) {
	t.Helper()
	testkit.Until(t, label+" to be drawn", func() bool {
		var there bool
		b.Eval(`(() => { const x = [...document.querySelectorAll("[aria-label]")].find(x => x.getAttribute("aria-label").startsWith(`+js(label)+`)); x?.`+what+`(); return !!x })()`, &there)
		return there
	})
}

func js(s string) string { return `"` + strings.ReplaceAll(s, `"`, `\"`) + `"` }

// A new application from nothing to its first check, in the console: registered,
// its tree pasted, its role pointed together by keyboard, given with limits, expected
// and looked at through the eyes of who has it.
func TestAnApplicationIsDescribedInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/applications")
	b.Press("Register an application")
	b.Type("Name of the application", "Mooring log")
	b.Type("What it is, in plain words", "Which lines hold which vessel.")
	b.Sees("Its key is mooring-log, for ever.")
	b.Press("Add to change sheet")
	b.Sees("Nobody gains or loses anything.")
	b.Accessible()
	commit(b, "A new application")

	b.Go("/applications/mooring-log")
	b.Sees("Only the application itself is registered")
	b.Press("Paste many resources")
	b.Type("One path a line", "log  Log\nlog/north/bollard-1  Bollard 1\nlog/south\nlog\n")
	b.Sees("4 resources to register, 1 already registered or listed twice: log")
	b.Press("Add to change sheet")
	commit(b, "Its tree")
	b.Sees("log/north/bollard-1")

	b.Go("/applications/mooring-log?tab=roles")
	b.Sees("This application has no role yet")
	b.Press("Make a role")
	b.Type("Name of the role", "Linesman")
	b.Choose("Risk", "medium")
	b.Press("Add to change sheet")
	commit(b, "Its first role")

	// The grid of a role, by keyboard.
	b.Go("/roles/mooring-log%2Flinesman")
	b.Sees("No permissions yet.")
	focus(t, b, "create /: not permitted")
	b.Key(testkit.DownKey)
	b.Key(testkit.RightKey)
	var at string
	b.Eval(`document.activeElement.getAttribute("aria-label")`, &at)
	if at != "read log: not permitted" {
		t.Fatalf("the arrow keys led to %q", at)
	}
	b.Key(testkit.EnterKey)
	b.Key(testkit.RightKey)
	b.Key(testkit.EnterKey)
	b.Sees("Add 2 cells to change sheet")
	b.Accessible()
	b.Press("Add 2 cells to change sheet")
	commit(b, "What linesmen do")
	b.Sees("read and update")
	focus(t, b, "update log/south: by log")
	b.Accessible()

	// Given with limits: only on the north quay, only on weekdays.
	b.Go("/users/ines.halloran?tab=given")
	b.Type("Role to grant", "Linesman")
	b.Press("Linesman")
	b.Press("Limits: valid from")
	b.Press("Add a scope")
	b.Type("Pattern of scope 1", "log/north")
	b.Sees("Covers 2 resources today: log/north, log/north/bollard-1; and whatever is registered later below it.")
	for _, day := range []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday"} {
		b.Press(day)
	}
	b.Sees("That is: weekdays 06:00 to 14:00, Lisbon.")
	b.Accessible()
	b.PressNth("Add to change sheet", 1)
	b.Sees("Inês Halloran gains")
	commit(b, "Helps at the north quay")

	// What must keep holding, from a cell of the grid.
	b.Go("/grid?application=mooring-log&q=halloran")
	b.Sees("Inês Halloran")
	onceDrawn(t, b, "Inês Halloran: update log/south", "click")
	b.Press("Add an expectation")
	b.Sees("That is: Inês Halloran may not update log/south in Mooring log.")
	b.Press("Add to change sheet")
	commit(b, "Her quay is the north one")
	b.Sees("Inês Halloran may not update log/south in Mooring log")
	b.Go("/users/ines.halloran?tab=given")
	b.Type("Role to grant", "Linesman")
	b.Key(testkit.DownKey) // she has a link of that name by now
	b.Key(testkit.EnterKey)
	b.PressNth("Add to change sheet", 1)
	b.Sees("would be broken by Inês Halloran")
	b.Press("What is this?")
	b.Sees("Ask the owner of the expectation")
	b.Press("Discard")

	// And of somebody who is not there yet.
	b.Go("/expectations")
	b.Press("Add an expectation")
	b.Choose("About whom", "newcomer")
	b.Type("Unit", "marine/pilotage")
	b.Choose("In", "mooring-log")
	b.Choose("Do what", "update")
	b.Type("On which paths", "log/south")
	b.Sees("That is: A new user (unit marine/pilotage) may not update log/south in Mooring log.")
	b.Accessible()
	b.Press("Add to change sheet")
	commit(b, "Nobody new at the south quay")
	b.Sees("A new user (unit marine/pilotage) may not update log/south in Mooring log")

	// Through her eyes, and live.
	b.Go("/applications/mooring-log?tab=live")
	b.Sees("1 person could do something in it")
	b.Press("Live: access is enforced")
	b.Press("Add to change sheet")
	commit(b, "Checked")
	b.Sees("It is live.")
	b.Go("/view-as?user=ines.halloran&application=mooring-log")
	b.Sees("You view as Inês Halloran.")
	b.Sees("Bollard 1")
	b.SeesNot("log/south")
	a, err := s.SignIn(t, demo.Administrator).Role(ctx, "mooring-log/linesman", nil)
	if err != nil || len(a.Permissions) != 1 || a.Risk != "medium" || len(a.Holders) != 1 || a.Holders[0].Schedule == nil {
		t.Errorf("%+v (%v)", a, err)
	}
}

// What looks wrong is mended on the sheet, or set aside; a forgotten screen is
// registered in one press; roles are compared, copied and set at once.
func TestFindingsAndComparisonsInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/findings?code=permission_matches_nothing")
	b.Sees("Storekeeper has a permission on storse")
	b.Press("Mend: Storekeeper has a permission on storse, which is nothing registered in Works orders.")
	b.Sees("Take the permission away")
	commit(b, "A mistyped path")
	b.Sees("Nothing of this kind looks wrong.")
	b.Go("/findings?code=role_single_holder")
	b.Press("Set aside: Only Bettina Osei holds Auditor.")
	b.Eval(`(() => { const x = document.querySelector("input[type=date]"); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(x, "2027-03-31"); x.dispatchEvent(new Event("input", { bubbles: true })) })()`, nil)
	b.Press("Add to change sheet")
	commit(b, "A second auditor begins in spring")
	b.Press("1 set aside")
	b.Sees("Set aside until 31 Mar 2027 by Marta Quill: A second auditor begins in spring")
	b.Accessible()

	b.Go("/applications/berth-planning?tab=coverage")
	b.Press("Compare with its own list")
	b.Type("The application’s own list of paths", "board/arrivals\nboard/anchorage\n")
	b.PressNth("Compare", 1)
	b.Sees("1 path not registered.")
	b.Sees("Berth reader")
	b.Accessible()
	b.Press("Register board/anchorage")
	b.Type("Reason", "The forgotten sister")
	b.Sees("of all active users would gain")
	b.Press("I acknowledge this")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	b.Press("Close")

	b.Go("/roles/berth-planning%2Fscheduler?tab=compare")
	b.Type("Role to compare with", "Week planner")
	b.Press("Week planner")
	b.Sees("Only Week planner")
	b.Accessible()
	b.Press("Details")
	b.Type("Name of the copy", "Night scheduler")
	b.PressNth("Add to change sheet", 2)
	b.Sees("Copy Berth scheduler as Night scheduler")
	commit(b, "For the nights")
	b.Go("/roles/berth-planning%2Fnight-scheduler?tab=details")
	b.Sees("Night scheduler")
	b.Press("Retire it")
	b.Sees("Nobody gains or loses anything.")
	b.Press("Discard")

	b.Go("/users/ines.halloran?tab=given")
	b.Press("Set all roles at once")
	b.Press("Remove Tariff reader")
	b.Type("Role to add", "Order reader")
	b.Press("Order reader")
	b.Sees("To grant: Order reader. To revoke: Tariff reader. Other roles stay.")
	b.Accessible()
	b.PressNth("Add to change sheet", 2)
	commit(b, "Moves her duties")
	u, err := s.SignIn(t, demo.Administrator).User(ctx, demo.Pilot, nil)
	if err != nil {
		t.Fatal(err)
	}
	held := map[string]bool{}
	for _, a := range u.Assignments {
		held[a.Role.Key] = true
	}
	if !held["works-orders/reader"] || held["tariff-ledger/reader"] || !held["berth-planning/scheduler"] {
		t.Errorf("she holds %v", held)
	}
}

// The role editor of an application of two thousand resources draws what is in
// sight, and the last cell is reached by keyboard.
func TestTheRoleEditorOfALargeApplication(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var file strings.Builder
	file.WriteString("roster_file: 1\napplications:\n  shelves:\n    label: Shelves\n    actions: [{key: read}, {key: create}, {key: update}, {key: delete}, {key: move}, {key: count}, {key: seal}, {key: open}]\n    resources:\n")
	for i := range 2000 {
		file.WriteString("      shelf-" + strings.Repeat("0", 4-len(itoa(i))) + itoa(i) + ": {}\n")
	}
	file.WriteString("    roles: {keeper: {label: Shelf keeper, permissions: [{actions: [read, count], pattern: shelf-1*}]}}\n")
	if _, err := marta.LoadRosterFile(ctx, []byte(file.String()), map[string]string{"reason": "The shelves"}); err != nil {
		t.Fatal(err)
	}
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/roles/shelves%2Fkeeper")
	b.Sees("shelf-0000")
	var drawn int
	if b.Eval(`document.querySelectorAll('[role="grid"] [role="row"]').length`, &drawn); drawn > 120 {
		t.Errorf("%d rows are drawn at once", drawn)
	}
	// Frames go on being drawn while one scrolls through all of it: none waits for
	// longer than one in ten.
	var frames []float64
	b.Eval(`window.frames_ = []; (() => { const box = document.querySelector('[role="grid"]').parentElement; let last = performance.now(); let n = 0;
		const step = () => { const now = performance.now(); frames_.push(now - last); last = now; box.scrollTop += 600; if (n++ < 100) requestAnimationFrame(step); else document.title = "scrolled" }; requestAnimationFrame(step) })()`, nil)
	testkit.Until(t, "the end of the scrolling", func() bool {
		var title string
		b.Eval(`document.title`, &title)
		return title == "scrolled"
	})
	b.Eval(`frames_`, &frames)
	b.Sees("shelf-1999")
	t.Logf("%d frames, the slowest %.0f ms", len(frames), slices.Max(frames[1:]))
	if len(frames) < 100 {
		t.Errorf("only %d frames were drawn", len(frames))
	}
	b.Accessible()
}

func itoa(n int) string {
	if n < 10 {
		return string(rune('0' + n))
	}
	return itoa(n/10) + string(rune('0'+n%10))
}

// The first run of an empty installation leads through application, role, people,
// assignment and check.
func TestTheFirstRunLeadsThroughIt(t *testing.T) {
	s := testkit.Serve(t, testkit.Database(t))
	marta := setUp(t, s)
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Sees("How to begin")
	b.Accessible()
	b.Press("Register an application")
	b.Sees("It begins as a draft: nobody has access yet.")
	for path, want := range map[string]string{"/roles": "Make a role of the whole organisation", "/expectations": "No expectation yet", "/findings": "in 2 ways", "/sod-rules": "No SoD rule yet",
		"/view-as": "Choose a user", "/grid": "No application is registered yet", "/groups": "All users"} {
		b.Go(path)
		b.Sees(want)
		b.Accessible()
	}
	if _, err := marta.LoadRosterFile(ctx, []byte("roster_file: 1\napplications: {quays: {actions: [{key: read}], roles: {reader: {permissions: [{actions: [read], pattern: /}]}}}}\n"), map[string]string{"reason": "x"}); err != nil {
		t.Fatal(err)
	}
	b.Go("/today")
	b.Sees("✓ Make its roles")
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"add_user","user_name":"zoe.marrick"}`, grantTo("zoe.marrick", "quays/reader")), false); err != nil {
		t.Fatal(err)
	}
	b.Go("/today")
	b.Sees("Nothing is waiting for your decision.")
	b.SeesNot("How to begin")
	var out wire.Me
	if err := marta.Do(ctx, "GET", "/me", nil, nil, &out); err != nil || out.Revision < 3 {
		t.Errorf("%+v (%v)", out, err)
	}
}

// Several users are picked from the list by keyboard and suspended, moved and put
// into a group, each as one change; and whoever a filter chooses becomes a group.
func TestSeveralUsersAtOnceInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/users?unit=marine/tugs&status=active")
	b.Sees("in Marine / Tugs")
	focus(t, b, "Pick ")
	b.Key(" ")
	b.Sees("1 user picked")
	b.Press("Pick all")
	b.Accessible()
	var total int
	b.Eval(`Number(document.body.innerText.match(/(\d+) users picked/)[1])`, &total)
	if total < 10 {
		t.Fatalf("%d picked", total)
	}
	b.Type("Add to a group", "Regatta vol")
	b.Key(testkit.DownKey)
	b.Key(testkit.EnterKey)
	b.Sees("to Regatta volunteers")
	commit(b, "The regatta")
	g, err := s.SignIn(t, demo.Administrator).Group(ctx, "regatta-volunteers", nil)
	if err != nil || len(g.Members) != total {
		t.Errorf("%d members, %d picked (%v)", len(g.Members), total, err)
	}
	b.Go(`/users?filter=title eq "Deckhand"`)
	b.Type("Name of a group of them", "All deckhands")
	b.Press("Make it a group")
	commit(b, "For the deckhands' notices")
	b.Go("/groups/all-deckhands")
	b.Sees("Chosen by a filter: users with title “Deckhand”")
}
