package e2e

import (
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// A line of the sheet is opened and mended, refers to where it was asked for, and is made at
// a date or kept under a name; Today shows what waits, and it is opened again from there.
func TestTheSheetIsMendedKeptAndDated(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("Tickets", `{"op":"set_references","pattern":"TCK-[0-9]+","address":"https://tickets.larkhaven.example/{reference}"}`), false); err != nil {
		t.Fatal(err)
	}
	b := signedIn(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot + "?tab=given")
	b.Pick("Role to grant", "Week pl", "Week planner")
	b.Press("Add to change sheet")
	b.Sees("Inês Halloran gains 3")
	b.Press("Edit: Grant Week planner to Inês Halloran")
	b.Sees("Leave it as it was")
	b.Set("User", "b.osei")
	b.Accessible()
	b.Press("Keep")
	b.Sees("Granted Week planner to") // as the service tells it now
	b.SeesNot("Inês Halloran gains 3")
	b.Type("Reason", "The regatta")
	b.Type("Reference", "nonsense")
	b.Press("Commit 1 change")
	b.Sees("does not fit the pattern")
	b.Set("Reference", "TCK-4471")
	b.Press("At a date, or keep it for later")
	b.Type("Name", "Regatta week")
	b.Press("Keep it under this name")
	b.Sees("Kept as Regatta week")
	b.Go("/today")
	b.Sees("kept as Regatta week")
	b.Press("Open on the change sheet")
	b.Sees("Commit 1 change")
	b.Press("At a date, or keep it for later")
	day := time.Now().AddDate(0, 1, 0)
	b.Set("Day", day.Format(time.DateOnly))
	b.Set("Time", "06:30")
	b.Accessible()
	b.Press("Make it at this date")
	b.Sees("To be made at its date")
	l, err := marta.PendingChanges(ctx)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(l.Mine, func(p wire.PendingChange) bool { return p.State == "dated" })
	if i < 0 || l.Mine[i].Reference != "TCK-4471" || l.Mine[i].Reason != "The regatta" || !strings.Contains(strings.Join(l.Mine[i].Sentences, ""), "Osei") {
		t.Fatalf("%+v", l.Mine)
	}
	zone, _ := time.LoadLocation("Europe/Lisbon")
	if at := l.Mine[i].Due.In(zone); at.Format("2006-01-02 15:04") != day.Format(time.DateOnly)+" 06:30" {
		t.Errorf("it is made at %s", at)
	}
	b.Go("/today")
	b.Sees("is made at " + day.Format("2 Jan 2006"))
	b.Press("Open on the change sheet")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	b.Go("/today")
	b.Sees("made by Marta Quill")
	b.Go("/ledger?reference=TCK-4471")
	b.Sees("Granted Week planner to")
	var address string
	b.Eval(`document.querySelector('a[href^="https://tickets"]').href`, &address)
	if address != "https://tickets.larkhaven.example/TCK-4471" {
		t.Error(address)
	}
}

// While a freeze stands the sheet says so before one tries, and what leads on.
func TestTheSheetTellsOfAFreeze(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Go("/freezes")
	b.Sees("Quarter close")
	b.Accessible()
	b.Press("Set a freeze")
	b.Type("Name of the freeze", "Storm watch")
	b.Type("Why, for whoever it stops", "Nobody is moved in a storm")
	b.Set("Last day", time.Now().AddDate(0, 1, 0).Format(time.DateOnly))
	b.Pick("Unit that is frozen", "marine", "Marine")
	b.Press("Add to change sheet")
	b.Type("Reason", "Winter")
	b.Press("Commit 1 change")
	b.Sees("Committed as revision")
	b.Go("/users/" + demo.Pilot + "?tab=given")
	b.Pick("Role to grant", "Week pl", "Week planner")
	b.Press("Add to change sheet")
	b.Sees("The freeze “Storm watch” stands")
	b.Sees("For somebody else to make")
	var off bool
	b.Eval(`[...document.querySelectorAll("button")].find((x) => x.textContent.startsWith("Commit 1")).disabled`, &off)
	if !off {
		t.Error("it can be committed")
	}
	b.Accessible()
}

// The ledger is filtered by what stands in its address.
func TestTheLedgerIsFilteredInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := signedIn(t, s, demo.Administrator)
	b.Go("/ledger")
	b.Press("Choose")
	b.Choose("What was done", "revoke")
	b.Choose("Through", "console")
	b.Sees("Choose: 2 filters")
	b.Accessible()
	var path string
	b.Eval("location.search", &path)
	if !strings.Contains(path, "kind=revoke") || !strings.Contains(path, "via=console") {
		t.Error(path)
	}
	want, err := marta.Revisions(ctx, client.Query{"kind": "revoke", "via": "console", "limit": "1"})
	if err != nil || len(want.Revisions) == 0 {
		t.Fatal(err)
	}
	b.Sees(want.Revisions[0].Sentences[0])
	b.Pick("About", "Inês", "Inês Halloran")
	b.Sees("Choose: 3 filters")
	b.Press("Show all")
	b.SeesNot("Show all")
}

// What was done to many at once is told in few lines, and taken back as one.
func TestWhatWasDoneToManyIsTakenBackAsOne(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/users?unit=marine%2Ftugs&status=active")
	b.Shows(`input[aria-label^="Pick "]`)
	for i := range 8 {
		b.PressAt(`input[aria-label^="Pick "]:not([aria-label*="all"])`, i)
	}
	b.Pick("Grant a role", "tide", "Tide editor")
	b.PressNth("Grant", 1)
	commits(b, "The regatta")
	b.Sees("What it did")
	b.Sees("And 3 more")
	b.Press("Undo")
	b.Sees("and 7 more")
	b.Sees("Commit 1 change")
	b.Press("Commit")
	b.Sees("8 users lose 2 entitlements")

	// What is of two roles is two lines.
	b.Press("Close")
	b.Go("/users?unit=marine%2Ftugs&status=active")
	b.Shows(`input[aria-label^="Pick "]`)
	for i := range 4 {
		b.PressAt(`input[aria-label^="Pick "]:not([aria-label*="all"])`, i)
	}
	b.Pick("Grant a role", "tide", "Tide editor")
	b.PressNth("Grant", 1)
	b.Sees("Tide editor to 4 users")
	for i := range 4 {
		b.PressAt(`input[aria-label^="Pick "]:not([aria-label*="all"])`, i)
	}
	b.Pick("Grant a role", "Week", "Week planner")
	b.PressNth("Grant", 1)
	b.Sees("Week planner to 4 users")
	commits(b, "The regatta again")
	b.Press("Undo")
	b.Sees("Commit 2 changes")
}
