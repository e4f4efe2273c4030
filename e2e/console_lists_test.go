package e2e

import (
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Lists are tables: searched, sorted, filtered by their columns, what is chosen standing in the
// address; several rows are picked and something is done with all of them.
func TestListsAreTables(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	first := func() (text string) {
		t.Helper()
		b.Eval(`document.querySelector("main table.register tbody a, main table.register tbody strong").textContent`, &text)
		return text
	}
	address := func() (text string) {
		b.Eval("decodeURIComponent(location.search)", &text)
		return text
	}
	b.Go("/groups")
	b.Type("Search groups", "pilots")
	b.Until("those that fit are shown", `document.querySelectorAll("main table.register tbody tr").length < 5`)
	if got := address(); !strings.Contains(got, "q=pilots") {
		t.Error(got)
	}
	b.Tick("Pick Pilots")
	b.Sees("1 group picked")
	b.Accessible()
	b.Pick("Grant a role", "Tariff r", "Tariff reader")
	b.Press("Grant")
	b.Sees("Tariff reader to 1 group")
	b.Press("Discard")
	b.Go("/groups?sort=-members")
	b.Sees("Listed members")
	most := first()
	b.Press("Listed members")
	b.Until("it is sorted as it comes", `!location.search.includes("sort")`)
	b.Press("Listed members")
	b.Until("the fewest come first", `location.search.includes("sort=members")`)
	if first() == most {
		t.Error("sorting alters nothing")
	}
	b.Go("/roles")
	b.Choose("Application", "Tariff ledger")
	b.Sees("As a tree")
	if got := address(); !strings.Contains(got, "only=application:Tariff") {
		t.Error(got)
	}
	b.Go("/roles?only=application:Tariff%2520ledger&sort=name")
	b.Until("the same is chosen", `[...document.querySelectorAll("main table.register tbody tr")].every((r) => r.textContent.includes("Tariff ledger"))`)
	b.Accessible()
	b.Go("/sod-rules")
	b.Press("Open Passes take two")
	b.Sees("End this SoD rule")
	b.Accessible()
	b.Go("/reviews")
	b.Sees("Tariff ledger, autumn")
	b.Accessible()
	b.Go("/requests")
	b.Choose("State", "waiting")
	b.Until("those that wait alone are shown", `[...document.querySelectorAll("main table.register tbody tr")].every((r) => r.textContent.includes("waiting"))`)
	b.Accessible()
	b.Type("Search requests", "no such thing at all")
	b.Sees("Nothing matches.")
}

// Several users are given a role with all that a grant has: days, a scope and a schedule; their
// unit is picked from those there are.
func TestSeveralAreGivenARoleWithLimits(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	b := byKeys(t, s, demo.Administrator)
	b.Go("/users?unit=marine%2Ftugs&status=active")
	b.Shows(`input[aria-label^="Pick "]`)
	for i := range 3 {
		b.PressAt(`input[aria-label^="Pick "]:not([aria-label*="all"])`, i)
	}
	b.Sees("3 users picked")
	b.Type("Unit to move them to", "marine/nowhere")
	b.Sees("There is no such unit.")
	b.Press("Limits of a role for 3 users")
	b.Accessible()
	b.Pick("Role to grant", "Tide edi", "Tide editor")
	b.Set("First day", time.Now().AddDate(0, 0, 20).Format(time.DateOnly))
	b.Set("last day", time.Now().AddDate(0, 2, 0).Format(time.DateOnly))
	b.Press("Add a scope")
	b.Type("Pattern of scope 1", "tides/**")
	b.Tick("Saturday")
	b.Press("Add to change sheet")
	b.Sees("Tide editor to 3 users")
	commit(b, "The regatta")
	var given wire.AssignmentList
	if err := marta.Do(ctx, "GET", "/assignments", client.Query{"role": "tide-board/editor"}, nil, &given); err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, a := range given.Assignments {
		if a.From != nil && a.Until != nil && len(a.Scopes) == 1 && a.Scopes[0].Pattern == "tides/**" && a.Schedule != nil && len(a.Schedule.Days) == 1 {
			n++
		}
	}
	if n != 3 {
		t.Errorf("%d of 3 are given it so: %+v", n, given.Assignments)
	}
}
