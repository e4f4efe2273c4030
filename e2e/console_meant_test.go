package e2e

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// signedIn is a tab of somebody.
func signedIn(t *testing.T, s *testkit.Service, user string) *testkit.Tab {
	t.Helper()
	b := testkit.NewTab(t, s.Base)
	b.SignIn(user, demo.Password)
	return b
}

// revisionOf is how far the ledger goes.
func revisionOf(t *testing.T, c *client.Client) int64 {
	t.Helper()
	all, err := c.Revisions(ctx, client.Query{"limit": "1"})
	if err != nil {
		t.Fatal(err)
	}
	return all.Revision
}

// Tab leads on from a box that offers choices, and picks none of them; and what is done to
// many has a press of its own.
func TestTabPicksNothing(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot)
	b.Press("Groups and roles")
	b.Type("Role to grant", "access")
	b.Sees("Access administrator")
	b.Key(testkit.TabKey)
	var picked string
	b.Eval(`document.querySelector('[aria-label="Role to grant"]').value`, &picked)
	if picked != "" {
		t.Errorf("Tab picked %q", picked)
	}
	b.Go("/groups/pilots?tab=edit")
	b.Go("/requests")
	b.Type("Search for anyone or anything", "pilot")
	b.Sees("group")
	b.Key(testkit.TabKey)
	var at string
	b.Eval("location.pathname", &at)
	if at != "/requests" {
		t.Errorf("Tab led to %s", at)
	}
	b.Go("/users?q=pilot")
	b.Shows(`input[aria-label^="Pick "]`)
	b.Eval(`[...document.querySelectorAll('input[aria-label^="Pick "]')].slice(0, 2).forEach(x => x.click())`, nil)
	b.Type("Add to a group", "pil")
	b.Sees("Night pilots")
	b.Key(testkit.TabKey)
	b.SeesNot("Change sheet")
	b.Pick("Add to a group", "night", "Night pilots")
	b.SeesNot("Change sheet")
	b.PressNth("Add", 1)
	b.Sees("Change sheet")
}

// Decisions of a review that are not saved are there whatever is shown, wherever one was and
// whatever others save; keeping all that is left touches what is undecided alone; and what
// was discarded can be brought back.
func TestReviewDecisionsAreADraft(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	items, err := marta.ReviewItems(ctx, "marine-winter", client.Query{"mine": "true", "undecided": "true", "limit": "100"})
	if err != nil || len(items.Items) < 6 {
		t.Fatal(len(items.Items), err)
	}
	first := items.Items[0]
	decide := func(i int, keep bool) {
		t.Helper()
		x := items.Items[i]
		op := fmt.Sprintf(`{"op":"decide_items","round":"marine-winter","keep":%v,"items":[{"user":%q,"assignment":%q}]}`, keep, x.User.ID, x.Assignment)
		if _, err := marta.Change(ctx, changeOf("Decided apart", op), false); err != nil {
			t.Fatal(err)
		}
	}
	decide(1, false)
	b := signedIn(t, s, demo.Administrator)
	b.Go("/reviews/marine-winter?show=all")
	revoke := fmt.Sprintf("Revoke %s of %s", first.Role.Label, first.User.Label)
	b.Press(revoke)
	b.Sees("Save 1 decision")
	b.Choose("Show", "undecided")
	b.Sees("Save 1 decision")
	b.Press("Users")
	b.Sees("Build a filter")
	b.Go("/reviews/marine-winter?show=all")
	b.Sees("Save 1 decision")
	decide(2, true) // another's save, and the window has the focus again
	b.Eval(`window.dispatchEvent(new Event("focus")); document.dispatchEvent(new Event("visibilitychange")); 0`, nil)
	b.Press("Users")
	b.Sees("Build a filter")
	b.Go("/reviews/marine-winter?show=all")
	b.Sees("Save 1 decision")
	b.Press("Discard")
	b.Sees("1 decision discarded")
	b.Press("Bring back")
	b.Sees("Save 1 decision")
	var left int
	b.Eval(`Number(document.body.innerText.match(/Keep the (\d+) undecided items? shown/)[1])`, &left)
	b.Press(fmt.Sprintf("Keep the %d undecided item", left))
	b.Sees(fmt.Sprintf("Save %d decisions", left+1))
	b.Type("Reason", "Looked at each")
	b.Press(fmt.Sprintf("Save %d decisions", left+1))
	b.SeesNot("decisions thrown")
	testkit.Until(t, "they are saved", func() bool {
		r, err := marta.Review(ctx, "marine-winter", nil)
		return err == nil && r.Mine == len(items.Items)-3-left
	})
	after, err := marta.ReviewItems(ctx, "marine-winter", client.Query{"limit": "500"})
	if err != nil {
		t.Fatal(err)
	}
	said := map[string]string{}
	for _, x := range after.Items {
		said[x.User.ID+" "+x.Assignment] = x.Decision
	}
	for i, want := range map[int]string{0: "revoke", 1: "revoke", 2: "keep"} {
		x := items.Items[i]
		if got := said[x.User.ID+" "+x.Assignment]; got != want {
			t.Errorf("item %d is decided as %q, want %q", i, got, want)
		}
	}
}

// What somebody has not committed is theirs: in a tab of theirs nothing is done in the name
// of whoever signed in since, and the next one finds nothing of it.
func TestTheSheetBelongsToItsUser(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := signedIn(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Suspend")
	b.Sees("Change sheet")
	b.Type("Reason", "She asked for it")
	before := revisionOf(t, marta)
	other := b.Beside()
	other.Go("/")
	other.Sees("Marta Quill")
	other.Forget()
	other.SignIn(demo.Manager, demo.Password)
	other.Sees("Tomas Brandt")
	other.SeesNot("Suspend Inês")
	b.Press("Commit 1 change")
	b.Sees("Somebody else is signed in")
	if now := revisionOf(t, marta); now != before {
		t.Errorf("revision %d was made", now)
	}
	b.Press("Go on as the user who is signed in")
	b.Sees("Tomas Brandt")
	b.SeesNot("Suspend Inês")
	// The first finds it again.
	b.Forget()
	b.SignIn(demo.Administrator, demo.Password)
	b.Sees("Change sheet")
	b.Sees("Suspend Inês Halloran")
	var reason string
	b.Eval(`document.getElementById("reason").value`, &reason)
	if reason != "She asked for it" {
		t.Errorf("the reason is %q", reason)
	}
	// Who signs out is asked first, and leaves nothing.
	b.Press("Marta Quill")
	b.Press("Sign out")
	b.Sees("Signing out discards it")
	b.Press("Discard it and sign out")
	b.Sees("User name")
	b.SignIn(demo.Administrator, demo.Password)
	b.SeesNot("Suspend Inês")
	// A call that is meant for another is refused, whatever it is.
	if status := b.Status("GET", "/api/v1/me", "Roster-User", "user-4711"); status != 409 {
		t.Errorf("for another: %d", status)
	}
}

// Two people of one name, title and unit are told apart where they are found and on the
// sheet.
func TestNamesakesAreToldApart(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var ops []string
	for _, name := range []string{"odile.farrow", "odile.farrow2"} {
		ops = append(ops, fmt.Sprintf(`{"op":"add_user","user_name":%q,"display_name":"Odile Farrow","title":"Clerk","unit":"office"}`, name))
	}
	if _, err := marta.Change(ctx, changeOf("They begin", ops...), false); err != nil {
		t.Fatal(err)
	}
	b := signedIn(t, s, demo.Administrator)
	b.Type("Search for anyone or anything", "odile farrow")
	b.Sees("Odile Farrow odile.farrow ")
	b.Sees("Odile Farrow odile.farrow2")
	for _, name := range []string{"odile.farrow", "odile.farrow2"} {
		b.Go("/users/" + name + "?tab=attributes")
		b.Press("Suspend")
		b.Sees("Suspend Odile Farrow")
		var whom bool
		b.Eval(fmt.Sprintf(`[...document.querySelectorAll('[aria-label="Change sheet"] li')].some(l => l.innerText.split(/\s+/).includes(%q))`, name), &whom)
		if !whom {
			t.Errorf("the sheet does not tell which is %s", name)
		}
	}
}

// lossy loses the answers to the first changes of a page, after they came.
const lossy = `(() => { const real = window.fetch; let lost = 0; window.fetch = async (...a) => {
	const r = await real(...a); const q = a[0]
	if (q.method === "POST" && new URL(q.url).pathname === "/api/v1/changes" && !q.url.includes("dry_run") && lost++ < 2) throw new TypeError("lost")
	return r } })()`

// Pressed twice, or with the answer lost, a change is made once; and the console says what
// became of it.
func TestAPressTwiceIsOne(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := signedIn(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Suspend")
	b.Press("Suspend")
	b.Sees("It is on the sheet already")
	b.Sees("Commit 1 change")
	b.Type("Reason", "Once")
	before := revisionOf(t, marta)
	b.Eval(`(() => { const p = [...document.querySelectorAll("button")].find(x => x.innerText.startsWith("Commit 1")); p.click(); p.click(); p.click(); return 0 })()`, nil)
	b.Sees(fmt.Sprintf("Committed as revision %d", before+1))
	b.Sees("Suspended Inês Halloran")
	if now := revisionOf(t, marta); now != before+1 {
		t.Errorf("%d revisions were made", now-before)
	}
	b.Before(lossy)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Bring back")
	b.Type("Reason", "She is back")
	b.Press("Commit 1 change")
	b.Sees("No answer came")
	b.Sees(fmt.Sprintf("It was made, as revision %d", before+2))
	if now := revisionOf(t, marta); now != before+2 {
		t.Errorf("%d revisions were made", now-before)
	}
}

// A last day is that day, inclusive and the organisation's, wherever the browser stands; a day
// to come is no past day; and Today says that it is about now.
func TestDaysAreTheOrganisations(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	year := time.Now().Year() + 1
	day := fmt.Sprintf("%d-12-18", year)
	for zone, says := range map[string]string{"Europe/Lisbon": "", "Asia/Tokyo": ", Lisbon time", "America/Los_Angeles": ", Lisbon time"} {
		b := testkit.NewTab(t, s.Base)
		b.InZone(zone)
		b.SignIn(demo.Administrator, demo.Password)
		b.Go("/users/b.osei")
		b.Press("Groups and roles")
		b.Pick("Role to grant", "tide", "Tide editor")
		b.Eval(fmt.Sprintf(`(f => { Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, %q); f.dispatchEvent(new Event("input", {bubbles: true})) })(document.querySelector('main input[type="date"]'))`, day), nil)
		b.Press("Add to change sheet")
		b.Sees(fmt.Sprintf("last day 18 Dec %d", year))
		b.Type("Reason", "For the season")
		b.Press("Commit 1 change")
		b.Sees("Committed as revision")
		b.Go("/users/b.osei")
		b.Press("Groups and roles")
		b.Sees(fmt.Sprintf("18 Dec %d%s", year, says))
		u, err := marta.User(ctx, "b.osei", nil)
		if err != nil {
			t.Fatal(err)
		}
		var id string
		for _, a := range u.Assignments {
			if a.Role.Label == "Tide editor" && a.Until != nil {
				lisbon, _ := time.LoadLocation("Europe/Lisbon")
				if got := a.Until.In(lisbon).Format(time.DateTime); got != fmt.Sprintf("%d-12-19 00:00:00", year) {
					t.Errorf("from %s it ends at %s", zone, got)
				}
				id = a.ID
			}
		}
		if id == "" {
			t.Fatal("it was not given")
		}
		if _, err := marta.Change(ctx, changeOf("Tried", fmt.Sprintf(`{"op":"revoke","assignment":%q}`, id)), false); err != nil {
			t.Fatal(err)
		}
		b.Go("/users?day=2031-01-01")
		b.Sees("Build a filter")
		b.SeesNot("read only")
		b.Go("/today?day=" + time.Now().AddDate(0, 0, -20).Format(time.DateOnly))
		b.Sees("cannot be read of a past day")
		b.Sees("read only")
	}
}

// Somebody departs on a day to come: until its end they are there.
func TestADepartureOnADay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := signedIn(t, s, demo.Administrator)
	day := time.Now().AddDate(0, 1, 0).Format(time.DateOnly)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Depart")
	b.Sees("ends at once")
	b.Eval(fmt.Sprintf(`(f => { Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, %q); f.dispatchEvent(new Event("input", {bubbles: true})) })(document.querySelector('form[aria-label$="departs"] input[type="date"]'))`, day), nil)
	b.Sees("ends after")
	b.Press("Add to change sheet")
	b.Type("Reason", "She moves away")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	if u, err := marta.User(ctx, demo.Pilot, nil); err != nil || u.Status != "active" || !u.Effective || u.EndDate != day {
		t.Errorf("%+v %v", u.User, err)
	}
}

// The console outlives its service: it stays, says so, and comes back by itself with what was
// typed, also on a page whose script was not there yet.
func TestTheConsoleOutlivesItsService(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	b := signedIn(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Suspend")
	b.Sees("Commit 1 change")
	b.Type("Reason", "For a while")
	at, err := url.Parse(s.Base)
	if err != nil {
		t.Fatal(err)
	}
	s.Kill()
	b.Press("Security log")
	b.Sees("The service cannot be reached")
	b.Sees("Suspend Inês Halloran")
	testkit.Serve(t, database, "-listen", at.Host)
	b.Sees("Who signed in")
	b.SeesNot("The service cannot be reached")
	var reason string
	b.Eval(`document.getElementById("reason").value`, &reason)
	if reason != "For a while" {
		t.Errorf("the reason is %q", reason)
	}
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
}

// slow has every answer of the search, and of the list of users, come a while later.
const slow = `(() => { const real = window.fetch; window.fetch = async (...a) => {
	if (/\/api\/v1\/(search|users\?)/.test(a[0].url)) await new Promise(go => setTimeout(go, 1500))
	return real(...a) } })()`

// On a slow line one is shown that something is under way, and a search that was sent off
// before its answer came is answered.
func TestWaitingIsShown(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Before(slow)
	b.Go("/users")
	b.Shows(`[data-busy]`)
	b.Sees("Amatus")
	b.Type("Search for anyone or anything", "ines.halloran")
	b.Key(testkit.EnterKey)
	b.Sees("Harbour pilot")
	testkit.Until(t, "the page of the user", func() bool {
		var at string
		b.Eval("location.pathname", &at)
		return strings.HasSuffix(at, "/users/ines.halloran")
	})
}

// What is half typed is there when one comes back, and what was discarded can be brought back.
func TestNothingTypedIsLost(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	value := func(label string) (text string) {
		t.Helper()
		b.Until(label+" is drawn", fmt.Sprintf(`[...document.querySelectorAll("label")].some(l => l.innerText.trim().startsWith(%q))`, label))
		b.Eval(fmt.Sprintf(`[...document.querySelectorAll("label")].find(l => l.innerText.trim().startsWith(%q)).querySelector("input, textarea").value`, label), &text)
		return text
	}
	b.Go("/users/add")
	b.Type("User name", "zoe.marrick")
	b.Type("Name", "Zoë Marrick")
	b.Press("Groups")
	b.Sees("Pilots")
	b.Go("/users/add")
	b.Sees("The user is added to the change sheet first")
	if got := value("Name"); got != "Zoë Marrick" {
		t.Errorf("it is %q", got)
	}
	b.Press("Add to change sheet")
	b.Sees("Add Zoë Marrick")
	b.Go("/users/add")
	b.Sees("The user is added to the change sheet first")
	if got := value("Name"); got != "" {
		t.Errorf("what is on the sheet is typed still: %q", got)
	}
	b.Press("Discard")
	b.Sees("1 change discarded")
	b.Press("Bring back")
	b.Sees("Add Zoë Marrick")
	b.Sees("Commit 1 change")
}

// The keyboard is never lost: after each act something has it that leads on; from Revoke to
// the reason it is one key; and all keys are told.
func TestTheKeyboardIsNeverLost(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := byKeys(t, s, demo.Administrator)
	has := func(what, where string) {
		t.Helper()
		b.Until("the keyboard is at "+what, fmt.Sprintf(`document.activeElement?.matches(%q) ?? false`, where))
	}
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Press("Suspend")
	b.Sees("Commit 1 change")
	b.Hotkey("s")
	has("the reason", "#reason")
	b.Key("By mistake")
	b.Press("Collapse")
	has("what opens the sheet", "button.fixed")
	b.Key(testkit.EnterKey)
	has("what folds it", `aside button`)
	b.Press("Discard")
	has("what brings it back", `aside button`)
	b.Key(testkit.EnterKey)
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	has("what closes it", `aside button`)
	b.Key(testkit.EnterKey)
	has("the page", "#main")
	b.Hotkey("?")
	b.Sees("to the reason of the change sheet")
	b.Accessible()
	b.Key("\x1b")
	b.SeesNot("to the reason of the change sheet")
}

// A role is given to twelve people until a date with few presses.
func TestARoleToTwelvePeopleUntilADay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := byKeys(t, s, demo.Administrator)
	b.Go("/users?unit=marine%2Ftugs&status=active")
	b.Shows(`input[aria-label^="Pick "]`)
	b.Eval(`[...document.querySelectorAll('input[aria-label^="Pick "]')].slice(0, 12).forEach(x => x.click())`, nil) // 12 presses
	b.Sees("12 users picked")
	b.Pick("Grant a role", "tide", "Tide editor") // 1
	day := fmt.Sprintf("%d-06-30", time.Now().Year()+1)
	b.Eval(fmt.Sprintf(`(f => { Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, %q); f.dispatchEvent(new Event("input", {bubbles: true})) })(document.querySelector('[aria-label="Last day of the role"]'))`, day), nil)
	b.PressNth("Grant", 1) // 2
	b.Sees("last day 30 Jun")
	b.Type("Reason", "The regatta")
	b.Press("Commit 1 change") // 3
	b.Sees("Committed as revision")
	var all wire.AssignmentList
	if err := marta.Do(ctx, "GET", "/assignments", client.Query{"role": "tide-board/editor", "limit": "100"}, nil, &all); err != nil {
		t.Fatal(err)
	}
	lisbon, _ := time.LoadLocation("Europe/Lisbon")
	n := 0
	for _, a := range all.Assignments {
		if a.Until != nil && a.Until.In(lisbon).Format(time.DateOnly) == fmt.Sprintf("%d-07-01", time.Now().Year()+1) {
			n++
		}
	}
	if n != 12 {
		t.Errorf("%d people hold it until that day", n)
	}
}

// A fault stands at its line, with what the other lines do; and lines can be put in another
// order.
func TestAFaultStandsAtItsLine(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	me, err := marta.User(ctx, demo.Administrator, nil)
	if err != nil {
		t.Fatal(err)
	}
	b := byKeys(t, s, demo.Administrator)
	onSheet(t, b, me.ID, "Grant", "Berth reader to Zoë Marrick", `{"op":"grant","user":"zoe.marrick","role":"berth-planning/reader"}`)
	onSheet(t, b, me.ID, "Suspend", "Inês Halloran", `{"op":"update_user","user":"ines.halloran","status":"suspended"}`)
	onSheet(t, b, me.ID, "Add", "Zoë Marrick", `{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick"}`)
	b.Go("/today")
	b.Sees("What the other lines do")
	at := `[...document.querySelectorAll('[aria-label="Change sheet"] li')].find(l => l.innerText.includes("there is no user"))?.innerText ?? ""`
	var text string
	b.Eval(at, &text)
	if !strings.Contains(text, "Berth reader to Zoë") {
		t.Errorf("the fault stands at %q", text)
	}
	b.Accessible()
	b.Press("Earlier: Add Zoë Marrick")
	b.Press("Earlier: Add Zoë Marrick")
	b.SeesNot("there is no user")
	b.Type("Reason", "She begins")
	b.Press("Commit 3 changes")
	b.Sees("Committed as revision")
}
