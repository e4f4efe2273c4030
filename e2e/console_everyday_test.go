package e2e

import (
	"fmt"
	"regexp"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
)

// The whole slice by the console, in a browser, as in the README.
func TestEverydayWorkByConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.Go("/")
	b.Sees("Sign in")
	b.Accessible()
	b.Type("User name", demo.Administrator)
	b.Type("Password", "not the password")
	b.Press("Sign in")
	b.Sees("The user name or the password is not right")
	b.Accessible()
	b.SignIn(demo.Administrator, demo.Password)

	// A user is added with a group and a role, on the change sheet.
	b.Press("Users")
	b.Press("Add a user")
	b.Type("Name", "Zoë Marrick")
	b.Type("User name", "zoe.marrick")
	b.Type("Unit", "marine/tugs")
	b.Accessible()
	b.Type("Group to add to", "Pilots")
	b.Press("Pilots")
	b.Type("Role to grant", "Tide editor")
	b.Press("Tide editor")
	b.Press("Add to change sheet")
	b.Sees("nobody else is affected")
	b.Sees("Zoë Marrick gains")
	b.Sees("Enter a reason to commit.")
	b.Type("Reason", "Joins the tugs")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	b.Accessible()
	b.Press("Close")

	// She is found by a few letters, from anywhere.
	b.Hotkey("/")
	b.Type("Search for anyone or anything", "marrick")
	b.Sees("Zoë Marrick")
	b.Key(testkit.EnterKey)
	b.Sees("zoe.marrick")
	b.Sees("group Pilots")

	// A role is given: the effect is seen before, and proved after.
	b.Press("Groups and roles")
	b.Type("Role to grant", "Manifest clerk")
	b.Press("Manifest clerk")
	b.Press("Add to change sheet")
	b.Sees("+5")
	b.Sees("in Cargo manifests")
	b.Accessible()
	b.Press("Access")
	b.SeesNot("direct Manifest clerk")
	b.Type("Reason", "Covers the manifest desk")
	b.Press("Commit 1 change")
	b.Sees("Granted Manifest clerk to Zoë Marrick")
	b.Press("Close")
	b.Sees("direct Manifest clerk")
	b.Press("direct Manifest clerk")
	b.Sees("permits create and update manifests in Cargo manifests")
	b.Sees("Covers the manifest desk")
	b.Accessible()

	// And taken back.
	b.Press("Groups and roles")
	b.Press("Revoke Manifest clerk")
	b.Sees("in Cargo manifests")
	b.Type("Reason", "The desk is back")
	b.Press("Commit 1 change")
	b.Sees("Revoked Manifest clerk of Zoë Marrick")
	b.Press("Close")
	b.Press("Access")
	b.SeesNot("direct Manifest clerk")

	// Both acts are in her history and in the ledger.
	b.Press("History")
	b.Sees("The desk is back")
	b.Sees("Covers the manifest desk")
	b.Press("Ledger")
	b.Sees("Revoked Manifest clerk of Zoë Marrick")
	b.Press("Verify it")
	b.Sees("every hash and every row matches")
	b.Accessible()
}

// Every page is accessible: light and dark, today and on a past day, open and
// empty, and as somebody who may see little.
func TestEveryPageIsAccessible(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	past := "day=" + time.Now().AddDate(0, -6, 0).Format(time.DateOnly)
	pages := []struct{ path, sees string }{
		{"/users", "Amatus"},
		{"/users?q=nobodyiscalledthat", "No user matches"},
		{"/users/add", "is added to the change sheet first"},
		{"/users/ines.halloran", "Berth planning"},
		{"/users/ines.halloran?tab=given", "Roles held directly"},
		{"/users/ines.halloran?tab=attributes", "Suspend"},
		{"/users/ines.halloran?tab=history", "New on the team"},
		{"/users/nobody.here", "there is no user"},
		{"/groups", "Night pilots"},
		{"/groups/pilots", "All members"},
		{"/groups/regatta-volunteers?tab=members", "No listed members"},
		{"/groups/regatta-volunteers?tab=all-members", "No members."},
		{"/groups/pilots?tab=all-members", "Inês Halloran"},
		{"/groups/pilots?tab=edit", "Let only its members sign in"},
		{"/users/ines.halloran?tab=compare", "Choose a colleague"},
		{"/attributes", "Cost centre"},
		{"/freezes", "Quarter close"},
		{"/shares", "North 2"},
		{"/invitations", "Nobody is invited"},
		{"/mail", "No mail was sent yet"},
		{"/calendar", "Access ends"},
		{"/machine-accounts", "Nobody has said what it is for"},
		{"/connections", "No account speaks SCIM or AuthZEN yet"},
		{"/employment-types", "access is closed, and opened for 8 hours at most"},
		{"/shared-accounts", "for 4 hours at most"},
		{"/team-rules", "Project teams"},
		{"/teams", "Chart project"},
		{"/sign-up-rules", "works for Estuary Dredging"},
		{"/units?role=berth-planning%2Freader", "of Berth reader"},
		{"/roles?as=tree", "As a table"},
		{"/groups?q=pilots&sort=-members", "of "},
		{"/roles/berth-planning%2Fscheduler?tab=retire", "is in the access catalogue"},
		{"/applications/tariff-ledger?tab=retire", "is one of its roles"},
		{"/users/ines.halloran?tab=check&application=berth-planning&action=read&path=board", "may read board"},
		{"/users/ines.halloran?tab=timeline", "today"},
		{"/applications/berth-planning?tab=time", "As a table"},
		{"/ledger?kind=grant&via=console", "Choose: 2 filters"},
		{"/delegations", "Add a delegation"},
		{"/security-log", "signed in"},
		{"/my-access", "Given to you directly"},
		{"/import", "A file is imported as one change"},
		{"/my-access?" + past, "This page is about today"},
		{"/delegations?" + past, "read only"},
		{"/groups/dredging-contractors", "Chosen by a filter"},
		{"/users?filter=within+eq+%22marine%22", "users."},
		{"/users?filter=within+is", "column 8"},
		{"/applications", "Tide board"},
		{"/applications/berth-planning", "berths/fuel-jetty"},
		{"/applications/berth-planning/holders?action=update&path=berths", "Inês Halloran"},
		{"/applications/berth-planning/holders?action=update&path=board", "Nobody."},
		{"/gained-and-lost", "gained"},
		{"/gained-and-lost?from=2999-01-01", "must come before"},
		{"/roles", "Port staff"},
		{"/roles/duty-officer", "From role"},
		{"/roles/seasonal-helper", "No permissions yet"},
		{"/grid?application=berth-planning&group=pilots", "Nobody signed in"},
		{"/grid?application=works-orders&unit=engineering/dredging&employment=contractor", "A would-be user"},
		{"/users/ines.halloran?tab=timeline", "held since"},
		{"/applications/crane-control?tab=time", "People with access over time"},
		{"/applications/berth-planning?tab=roles", "Week planner"},
		{"/applications/berth-planning?tab=coverage", "not covered by any role"},
		{"/applications/berth-planning?tab=fences", "Add a fence"},
		{"/applications/berth-planning?tab=live", "Without signing in"},
		{"/applications/berth-planning?tab=details", "Owner"},
		{"/applications/able-roster", "It is live"},
		{"/roles/berth-planning%2Fscheduler?tab=holders", "Inês Halloran"},
		{"/roles/berth-planning%2Fscheduler?tab=includes", "Berth reader"},
		{"/roles/berth-planning%2Fscheduler?tab=compare", "Choose another role"},
		{"/roles/berth-planning%2Fscheduler?tab=details", "Retire it"},
		{"/view-as", "Choose a user"},
		{"/view-as?user=ines.halloran", "12 of 14 resources"},
		{"/view-as?nobody=yes", "You view as Nobody signed in"},
		{"/view-as?unit=marine/pilotage", "You view as A new user"},
		{"/expectations", "Only finance leads release credits"},
		{"/expectations?user=ines.halloran&application=tariff-ledger&action=update&path=tariffs", "may not update tariffs in Tariff ledger"},
		{"/findings", "Roles with one holder"},
		{"/findings?code=role_unheld", "Nobody holds Harbour master"},
		{"/findings?aside=yes", "Nothing is set aside"},
		{"/guard-rails", "The last administrator"},
		{"/today", "to decide"},
		{"/reviews", "Tariff ledger, autumn"},
		{"/reviews/marine-winter", "undecided items shown"},
		{"/reviews/tariffs-autumn?show=all", "Not used for a year"},
		{"/reviews/nothing", "there is no review"},
		{"/requests", "Plans the regatta week"},
		{"/requests?kind=mine", "No requests."},
		{"/requests/request-38", "Your decision"},
		{"/requests/request-37", "Nobody can decide: "},
		{"/requests/request-32", "refused"},
		{"/requests/request-99", "there is no request"},
		{"/catalogue?q=credits", "Release credits"},
		{"/catalogue?role=tariff-ledger/credit-releaser", "It would give"},
		{"/catalogue?q=zeppelin", "No requestable role matches"},
		{"/defaults", "Crane crew"},
		{"/defaults?unit=terminal/cranes&title=Crane%20operator", "Manifest reader"},
		{"/sod-rules", "Credits take two"},
		{"/ledger", "Joins the chart project"},
		{"/nothing", "Page not found"},
		{"/users?" + past, "read only"},
		{"/users/ines.halloran?" + past, "read only"},
		{"/roles/duty-officer?" + past, "read only"},
		{"/grid?application=berth-planning&group=pilots&" + past, "read only"},
		{"/ledger?" + past, "read only"},
		{"/applications/berth-planning?tab=coverage&" + past, "read only"},
		{"/expectations?" + past, "read only"},
		{"/findings?" + past, "They are about today"},
		{"/view-as?user=ines.halloran&" + past, "read only"},
	}
	for _, theme := range []string{"light", "dark"} {
		b.Eval(fmt.Sprintf(`localStorage.setItem("theme", %q)`, theme), nil)
		for _, p := range pages {
			b.Size(1280, 800)
			b.Go(p.path)
			b.Sees(p.sees)
			// Wide and dark, and light at every width: ink does not go by the width.
			widths := []int64{1280, 768, 320}
			if theme == "dark" {
				widths = widths[:1]
			}
			for _, width := range widths {
				b.Size(width, 800)
				b.Accessible()
				var wide bool
				b.Eval(`document.documentElement.scrollWidth > innerWidth`, &wide)
				if wide {
					t.Errorf("%s scrolls sideways at %d", p.path, width)
				}
			}
		}
	}
	b.Size(1280, 800)
	// On a past day what would change something is gone, not grey.
	b.Go("/users/ines.halloran?tab=given&" + past)
	b.Sees("read only")
	for _, gone := range []string{"Add to change sheet", "Revoke", "Remove", "Suspend"} {
		b.SeesNot(gone)
	}
	b.Press("Back to today")
	b.Sees("Add to change sheet")

	low := testkit.NewTab(t, s.Base)
	low.SignIn(demo.Pilot, demo.Password)
	low.Sees("Your requests")
	low.Accessible()
	low.Press("My access")
	low.Sees("entitlement")
	low.Accessible()
	var offered int
	if low.Eval(`document.querySelectorAll('nav[aria-label="Pages"] a').length`, &offered); offered != 6 { // Today, My access, Calendar, Requests, Reviews and Shares are for everybody
		t.Errorf("%d pages are offered to somebody who sees only herself", offered)
	}
	for _, p := range []struct{ path, sees string }{{"/ledger", "outside your part"}, {"/users/b.osei", "there is no user"}, {"/roles", "none that you may see"}, {"/users", "1 user"}} {
		low.Go(p.path)
		low.Sees(p.sees)
		low.Accessible()
	}
}

// The whole walk from the list to the path behind a line, by keyboard alone.
func TestByKeyboardAlone(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Sees("Amatus")
	b.Hotkey("/")
	b.Key("ines hal")
	b.Sees("Inês Halloran")
	b.Key(testkit.EnterKey)
	b.Sees("entitlement")
	// Tab until a line of access is focused, then open its path.
	focused := func(what string) {
		t.Helper()
		var passed []string
		for range 60 {
			var text string
			b.Eval(`document.activeElement.matches("a, button") ? document.activeElement.innerText : ""`, &text)
			if strings.Contains(text, what) {
				return
			}
			passed = append(passed, text[:min(len(text), 20)])
			b.Key(testkit.TabKey)
		}
		t.Fatalf("“%s” cannot be reached with the Tab key; it went to %q", what, passed)
	}
	focused("group Night pilots")
	var outline string
	b.Eval(`getComputedStyle(document.activeElement).outlineStyle`, &outline)
	if outline != "solid" {
		t.Errorf("what is focused shows it by outline %q", outline)
	}
	b.Key(testkit.EnterKey)
	b.Sees("permits")

	b.Go("/grid?application=berth-planning&group=pilots&q=halloran")
	b.Sees("Inês Halloran")
	b.Eval(`document.querySelector('[data-cell="0-0"]').focus()`, nil)
	for range 6 {
		b.Key(testkit.RightKey)
	}
	b.Key(testkit.DownKey)
	var at string
	b.Eval(`document.activeElement.getAttribute("aria-label")`, &at)
	if !regexp.MustCompile(`Inês Halloran: update berths: direct, until`).MatchString(at) {
		t.Errorf("the arrow keys led to %q", at)
	}
	b.Key(testkit.EnterKey)
	b.Sees("Inês Halloran may update berths in berth-planning, by the role Berth scheduler.")
}

// Two administrators at the same user: the second is told, in the sheet.
func TestTheSheetTellsWhatMoved(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/users/ines.halloran?tab=given")
	b.Press("Revoke Tariff reader")
	b.Sees("in Tariff ledger")
	if _, err := s.SignIn(t, demo.Manager).Change(ctx, changeOf("Meanwhile", grantTo(demo.Pilot, "berth-planning/planner")), false); err != nil {
		t.Fatal(err)
	}
	b.Type("Reason", "Tidying up")
	b.Press("Commit 1 change")
	b.Sees("Somebody was faster")
	b.Sees("Tomas Brandt changed Inês Halloran")
	b.Accessible()
	// A guard rail is passed by saying so.
	b.Press("I acknowledge this")
	b.Press("Commit 1 change")
	b.Sees("Revoked Tariff reader of Inês Halloran")
	b.Press("Close")
	b.Type("Role to grant", "Access administrator")
	b.Press("Access administrator")
	b.Press("Add to change sheet")
	b.Sees("Rights to administer Able Roster would be given to Inês Halloran")
	b.Type("Reason", "Stands in")
	var disabled bool
	b.Eval(`[...document.querySelectorAll("button")].find(x => x.innerText.startsWith("Commit")).disabled`, &disabled)
	if !disabled {
		t.Error("the change can be committed without passing the guard rail")
	}
	b.Press("I acknowledge this")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
}

// Ten thousand people with long names: the list draws what is in sight, and the
// last of them is reached.
func TestTenThousandRows(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var csv strings.Builder
	csv.WriteString("user_name,display_name,unit,title\n")
	for i := range 10_000 {
		fmt.Fprintf(&csv, "crew.%05d.of.the.long.autumn.season.at.the.outer.quay,Zacharias-Bartholomew van der Oosterscheldekering-Montgomery %05d,marine/tugs,Deckhand and lamp keeper of the outer breakwater\n", i, i)
	}
	if r, err := marta.ImportUsers(ctx, []byte(csv.String()), map[string]string{"file": "crew.csv", "reason": "Season"}); err != nil || r.Sentences[0] != "10000 users added" {
		t.Fatalf("%v %v", r.Sentences, err)
	}
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/users")
	b.Sees("users.")
	b.Type("Search users by name, user name, title or e-mail", "lamp keeper")
	b.Sees("10,000 users.")
	for _, last := range []string{"00199", "09999"} {
		testkit.Until(t, "row "+last, func() (seen bool) {
			b.Eval(fmt.Sprintf(`(() => { const box = document.querySelector('[aria-label="Rows"]'); box.scrollTop = box.scrollHeight; return document.body.innerText.includes(%q) })()`, last), &seen)
			return seen
		})
	}
	var rows int
	b.Eval(`document.querySelectorAll('[role="row"]').length`, &rows)
	if rows > 120 {
		t.Errorf("%d rows are drawn at once", rows)
	}
	b.Accessible()
	b.Go("/users/crew.00007.of.the.long.autumn.season.at.the.outer.quay")
	b.Sees("lamp keeper")
	var wide bool
	b.Eval(`document.documentElement.scrollWidth > innerWidth`, &wide)
	if wide {
		t.Error("a long name makes the page scroll sideways")
	}
}

// An empty installation is set up through the link the service prints.
func TestSettingUpInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.Database(t))
	var link []string
	testkit.Until(t, "the set-up link to be printed", func() bool {
		link = regexp.MustCompile(`http://\S+(/set-up#\S+)`).FindStringSubmatch(s.Output())
		return link != nil
	})
	b := testkit.NewTab(t, s.Base)
	b.Go("/")
	b.Sees("It printed a set-up link")
	b.Go(link[1])
	b.Sees("Set Able Roster up")
	b.Accessible()
	b.Type("Organisation", "Larkhaven Port Authority")
	b.Type("Your user name", "marta.quill")
	b.Type("Your name", "Marta Quill")
	b.Type("Password, 12 characters or more", "a tide of ropes")
	b.Press("Set it up")
	b.Sees("1 user.")
	b.Sees("Marta Quill")
	b.Go("/groups")
	b.Sees("All users")
	b.Accessible()
	b.Go("/grid")
	b.Sees("No application")
	b.Accessible()
	b.Go(link[1])
	b.Type("Organisation", "Another")
	b.Type("Your user name", "somebody")
	b.Type("Your name", "Somebody")
	b.Type("Password, 12 characters or more", "a tide of ropes")
	b.Press("Set it up")
	b.Sees("not valid any more")
}

// What the console loads first is small, and a page brings its own part.
func TestTheConsoleLoadsLittle(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/today")
	b.Sees("to decide")
	scripts := func() (size, n int) {
		var sizes []int
		b.Eval(`performance.getEntriesByType("resource").filter(r => r.name.endsWith(".js")).map(r => r.encodedBodySize)`, &sizes)
		for _, x := range sizes {
			size += x
		}
		return size, len(sizes)
	}
	first, n := scripts()
	if first > 200<<10 || first < 50<<10 {
		t.Errorf("%d bytes of script are loaded first", first)
	}
	b.Press("Grid")
	b.Sees("Nobody signed in")
	if more, m := scripts(); m <= n || more-first > 60<<10 {
		t.Errorf("the grid brings %d scripts and %d bytes", m-n, more-first)
	}
}
