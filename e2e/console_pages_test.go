package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// committed commits what lies on the sheet, by the keyboard.
func committed(b *testkit.Tab, reason string, changes int) {
	b.Type("Reason", reason)
	word := "change"
	if changes > 1 {
		word = "changes"
	}
	b.Press(fmt.Sprintf("Commit %d %s", changes, word))
	b.Sees("Committed as revision")
	b.Press("Close")
}

// What a colleague has is seen beside what somebody has themselves, and the parts
// that are chosen are given, and no others.
func TestAColleagueIsCopiedInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, b := s.SignIn(t, demo.Administrator), byKeys(t, s, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("Joins the pilots", `{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë Marrick","unit":"marine/pilotage"}`), false); err != nil {
		t.Fatal(err)
	}
	c, err := marta.CompareUsers(ctx, "zoe.marrick", client.Query{"with": demo.Pilot})
	if err != nil || len(c.Groups)+len(c.Roles) < 2 {
		t.Fatalf("%+v (%v)", c, err)
	}
	b.Go("/users/zoe.marrick?tab=compare")
	b.Pick("Colleague to compare with", "hallo", "Inês Halloran")
	b.Sees("Given to Inês Halloran and not to Zoë Marrick")
	b.Accessible()
	leave := "the group " + c.Groups[0].Membership.Group.Label
	b.Tick(leave)
	b.Press(fmt.Sprintf("Add %d item", len(c.Groups)+len(c.Roles)-1))
	b.Sees("Zoë Marrick gains")
	committed(b, "As the other pilots", 1)
	after, err := marta.CompareUsers(ctx, "zoe.marrick", client.Query{"with": demo.Pilot})
	if err != nil || len(after.Groups) != 1 || after.Groups[0].Membership.Group.Key != c.Groups[0].Membership.Group.Key || len(after.Roles) != 0 {
		t.Errorf("left: %+v (%v)", after, err)
	}
	// What was left is offered again; who has all of it is told so.
	b.Sees(leave)
	b.Tick(leave)
	b.Press("Add 1 item to change sheet")
	committed(b, "The rest too", 1)
	b.Sees("No differences in what is given.")
	b.Accessible()
}

// A departed user is erased on their page: it says what stays, it cannot be done
// by mistake, and nothing of them is left to see.
func TestADepartedUserIsErasedInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, b := s.SignIn(t, demo.Administrator), byKeys(t, s, demo.Administrator)
	gone, err := marta.Users(ctx, client.Query{"status": "departed", "limit": "1"})
	if err != nil || len(gone.Users) == 0 {
		t.Fatal(err)
	}
	u := gone.Users[0]
	b.Go("/users/" + u.UserName + "?tab=attributes")
	b.Sees("It cannot be undone.")
	b.Sees(u.DisplayName)
	b.Accessible()
	b.Press("Erase them")
	b.Sees("the personal values of " + u.DisplayName)
	committed(b, "Asked for it, and is owed it", 1)
	b.Go("/users/" + u.ID + "?tab=attributes")
	b.Sees("erased-")
	b.SeesNot(u.DisplayName)
	b.SeesNot("Erase them")
	b.Go("/ledger")
	b.Sees("Asked for it, and is owed it")
	b.SeesNot(u.DisplayName)
	// So is a reason, by a press where it stands.
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	b.Press(fmt.Sprintf("Revision %d, its operations", head.Revision))
	b.Accessible()
	b.Press("Erase its reason")
	b.Sees(fmt.Sprintf("the reason of revision %d", head.Revision))
	committed(b, "It named somebody", 1)
	b.Go("/ledger")
	b.Sees("It named somebody")
	b.Sees("Its reason was erased.")
	b.SeesNot("Asked for it, and is owed it")
	b.Press("Verify it")
	b.Sees("every hash and every row matches")
	// Who has not departed is not offered to be erased.
	b.Go("/users/" + demo.Pilot + "?tab=attributes")
	b.Sees("Suspend")
	b.SeesNot("Erase them")
}

// Sign-in is left to a group on its page, but not so that whoever does it is left
// outside; and opened again.
func TestOnlyAGroupSignsInFromTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, b := s.SignIn(t, demo.Administrator), byKeys(t, s, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"add_group","key":"key-keepers","label":"Key keepers"}`, `{"op":"add_member","group":"key-keepers","user":"marta.quill"}`), false); err != nil {
		t.Fatal(err)
	}
	b.Go("/groups/pilots?tab=edit")
	b.Press("Let only its members sign in")
	b.Sees("you are not in Pilots yourself: you could not sign in any more")
	b.Accessible()
	b.Press("Remove")
	b.Go("/groups/key-keepers?tab=edit")
	b.Sees("Everybody with a password may sign in.")
	b.Press("Let only its members sign in")
	b.Sees("Let only Key keepers sign in")
	committed(b, "While the office moves", 1)
	b.Sees("Only members of this group may sign in.")
	stranger := &client.Client{Base: s.Base}
	if _, err := stranger.SignIn(ctx, demo.Pilot, demo.Password, "x"); err == nil {
		t.Error("who is not in the group signs in")
	}
	b.Go("/groups/pilots?tab=edit")
	b.Sees("Only members of Key keepers may sign in.")
	b.Go("/groups/key-keepers?tab=edit")
	b.Press("Let everybody with a password sign in")
	committed(b, "The office has moved", 1)
	b.Sees("Everybody with a password may sign in.")
	if _, err := stranger.SignIn(ctx, demo.Pilot, demo.Password, "x"); err != nil {
		t.Error(err)
	}
}

// A day is chosen at the top, and stays wherever one goes from there, until today
// is asked for again; nothing can be altered meanwhile.
func TestTheDayStaysFromPageToPage(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := byKeys(t, s, demo.Administrator)
	day := time.Now().AddDate(0, -4, 0)
	b.Go("/users/" + demo.Pilot)
	b.Sees("Berth planning")
	b.Press("Today, ")
	b.Sees("The ledger begins on")
	b.Eval(fmt.Sprintf(`(d => { Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(d, %q); d.dispatchEvent(new Event('input', { bubbles: true })) })(document.getElementById('day'))`, day.Format(time.DateOnly)), nil)
	b.Press("Show this day")
	b.Sees("read only")
	words := day.Format("2 January 2006")
	b.Sees(words)
	b.Accessible()
	for _, page := range []struct{ name, sees, acts string }{
		{"Users", "Amatus", "Add a user"},
		{"Groups", "Night pilots", "Make a group"},
		{"Applications", "Tide board", "Register an application"},
		{"Roles", "Port staff", "Make a role of the whole organisation"},
		{"Grid", "Nobody signed in", "Add to change sheet"},
	} {
		b.Press(page.name)
		b.Sees(page.sees)
		b.Sees(words)
		b.Sees("read only")
		b.SeesNot(page.acts)
		var search string
		b.Eval("location.search", &search)
		if !strings.Contains(search, "day="+day.Format(time.DateOnly)) {
			t.Errorf("%s is at %q", page.name, search)
		}
	}
	b.Press(words)
	b.Press("Back to today")
	b.SeesNot("read only")
	b.Press("Roles")
	b.Sees("Make a role of the whole organisation")
}

// What somebody held when, what changed between two days, who can do a thing and
// through what: each is read on its page, and agrees with the service.
func TestWhatWasHeldIsReadInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, b := s.SignIn(t, demo.Administrator), byKeys(t, s, demo.Administrator)

	from := time.Now().AddDate(0, -2, 0).Format(time.DateOnly)
	b.Go("/gained-and-lost?from=" + from)
	b.Choose("in", "gate-passes")
	zone, err := time.LoadLocation("Europe/Lisbon")
	if err != nil {
		t.Fatal(err)
	}
	end, _ := time.ParseInLocation(time.DateOnly, from, zone)
	d, err := marta.GainedAndLost(ctx, client.Query{"from": end.AddDate(0, 0, 1).Add(-time.Millisecond).UTC().Format(time.RFC3339Nano), "application": "gate-passes", "limit": "200"})
	if err != nil || len(d.Users) == 0 {
		t.Fatal(len(d.Users), err)
	}
	b.Sees(fmt.Sprintf("%d gained, %d lost", d.Gained, d.Lost))
	first := d.Users[0].User
	b.Press(first.Label)
	b.Sees(first.Key)
	b.Sees("What, and why")

	h, err := marta.Holders(ctx, client.Query{"application": "gate-passes", "action": "issue", "path": "passes", "limit": "500"})
	if err != nil || h.Total == 0 {
		t.Fatal(h.Total, err)
	}
	b.Go("/applications/gate-passes/holders?action=issue&path=passes")
	b.Sees(fmt.Sprintf("%d holder", h.Total))
	for _, x := range h.Holders {
		b.Sees(x.User.Label)
	}
	b.Eval(`document.querySelector('main button[aria-expanded="false"].press, main li button[aria-expanded="false"]').focus()`, nil)
	b.Key(testkit.EnterKey)
	b.Sees("permits")
	b.Accessible()
	b.Choose("Action", "withdraw")
	w, err := marta.Holders(ctx, client.Query{"application": "gate-passes", "action": "withdraw", "path": "passes"})
	if err != nil {
		t.Fatal(err)
	}
	b.Sees(fmt.Sprintf("%d holder", w.Total))

	l, err := marta.Timeline(ctx, demo.Pilot)
	if err != nil || len(l.Roles) == 0 {
		t.Fatal(err)
	}
	b.Go("/users/" + demo.Pilot + "?tab=timeline")
	b.Sees(fmt.Sprintf("%d role", len(l.Roles)))
	b.Press(l.Roles[0].Role.Label)
	b.Sees(l.Roles[0].Spans[0].From.In(zone).Format("2 Jan 2006") + " to")
	b.Accessible()

	o, err := marta.OverTime(ctx, "crane-control", nil)
	if err != nil {
		t.Fatal(err)
	}
	b.Go("/applications/crane-control?tab=time")
	b.Sees("People with access over time")
	var told []string
	b.Eval(`[...document.querySelectorAll('section[aria-label="People with access over time"] table tbody tr')].map(r => r.cells[1].textContent)`, &told)
	for i, p := range o.Points {
		if i >= len(told) || told[i] != fmt.Sprint(p.All) {
			t.Errorf("point %d is %d people; the page has %v", i, p.All, told)
			break
		}
	}
}

// A role is made, made to include another and compared, and the tree shows it below
// the one that includes it.
func TestRolesAreMadeAndComparedInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, b := s.SignIn(t, demo.Administrator), byKeys(t, s, demo.Administrator)
	b.Go("/roles")
	b.Sees("Holders of a role also hold the roles below it.")
	b.Press("Make a role of the whole organisation")
	b.Type("Name of the role", "Night manager")
	b.Type("What it is for", "Runs the port at night")
	b.Choose("Risk", "high")
	b.Press("Add to change sheet")
	b.Sees("the role Night manager")
	committed(b, "Nights are run by one", 1)
	b.Press("Night manager")
	b.Sees("Runs the port at night")
	b.Go("/roles/night-manager?tab=includes")
	b.Pick("Role to include", "duty", "Duty officer")
	b.Sees("Duty officer")
	committed(b, "As the duty officer by day", 1)
	b.Accessible()
	r, err := marta.Role(ctx, "night-manager", nil)
	if err != nil || r.Risk != "high" || len(r.Includes) != 1 || r.Includes[0].Key != "duty-officer" {
		t.Fatalf("%+v (%v)", r, err)
	}
	b.Go("/roles/night-manager?tab=compare")
	b.Pick("Role to compare with", "duty", "Duty officer")
	c, err := marta.CompareRoles(ctx, "night-manager", client.Query{"with": "duty-officer"})
	if err != nil || len(c.Only)+len(c.OnlyOther) != 0 || len(c.Both) == 0 {
		t.Fatalf("%+v (%v)", c, err)
	}
	b.Sees("Both")
	b.Accessible()
	b.Go("/roles?as=tree")
	b.Sees("Night manager")
	var below bool
	b.Eval(`[...document.querySelectorAll('main section li')].some(l => l.querySelector('a')?.textContent === 'Night manager' && [...l.querySelectorAll('ul a')].some(a => a.textContent === 'Duty officer'))`, &below)
	if !below {
		t.Error("the tree does not show the duty officer below the night manager")
	}
}

// A link is made for somebody, shown once; by it they choose a password and are signed in,
// and nobody is by it again. Who made it stands in the security log.
func TestSomebodyIsGivenAWayToSignInInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/users/ines.halloran?tab=attributes")
	b.Press("Give sign-in")
	b.Press("Make a sign-in link")
	b.Sees("This link is shown once")
	var address string
	b.Eval(`[...document.querySelectorAll('[role=status] p')].map(p => p.textContent).find(x => x.startsWith('http'))`, &address)
	path := strings.TrimPrefix(address, s.Base)
	if !strings.HasPrefix(path, "/sign-in-link#") {
		t.Fatalf("the link is %q", address)
	}
	ines := testkit.NewTab(t, s.Base)
	ines.Go("/sign-in-link")
	ines.Sees("The link is incomplete")
	ines.Go(path)
	ines.Type("Password, 12 characters or more", "123456789012")
	ines.Press("Set it and sign in")
	ines.Sees("is easily guessed")
	ines.Type("Password, 12 characters or more", "nine lanterns over wet slate")
	ines.Press("Set it and sign in")
	ines.Sees("Inês Halloran")
	again := testkit.NewTab(t, s.Base)
	again.Go(path)
	again.Type("Password, 12 characters or more", "another nine wet lanterns")
	again.Press("Set it and sign in")
	again.Sees("is not valid any more")
	b.Go("/security-log")
	b.Sees("sign-in link made")
	b.Accessible()
}
