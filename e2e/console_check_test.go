package e2e

import (
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Why somebody may not do something is asked on their page: the near miss, what would cure
// it, and the cure goes on the sheet; of oneself it becomes a request. What is asked has an
// address, and a path is acted on where it stands.
func TestWhyNotIsAskedAndCured(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Go("/users/" + demo.Pilot)
	b.Press("Check")
	b.Choose("Application", "tariff-ledger")
	b.Set("Action", "update")
	b.Set("Resource", "tariffs")
	b.Sees("Roles that would allow it")
	b.Accessible()
	var address string
	b.Eval("location.pathname + location.search", &address)
	if !strings.Contains(address, "tab=check") || !strings.Contains(address, "path=tariffs") {
		t.Error(address)
	}
	b.Go(address)
	b.Sees("Roles that would allow it")
	b.Press("Grant Tariff setter")
	b.Sees("Commit 1 change")
	b.Press("Discard")
	// What they may do has paths, and those can be taken away.
	b.Go("/users/" + demo.Pilot + "?tab=check&application=berth-planning&action=read&path=board")
	b.Sees("Remove Inês Halloran from Pilots")
	b.Accessible()
	b.Press("Remove Inês Halloran from Pilots")
	b.Sees("Nobody gains or loses anything") // she is in it through Night pilots too
	b.Press("Discard")
	b.Go("/users/" + demo.Pilot)
	b.Press("direct Tariff reader")
	b.Press("The address of this")
	b.Sees("Revoke Tariff reader of Inês Halloran")

	own := signedIn(t, s, demo.Pilot)
	own.Go("/my-access?application=berth-planning&action=update&path=plans")
	own.Sees("May I …?")
	own.Sees("Request Week planner")
	own.Accessible()
	own.SeesNot("Grant Week planner")
}

// Each page has a title of its own, which is told to who hears it.
func TestPagesHaveTitles(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	for _, x := range []struct{ path, title string }{{"/users", "Users"}, {"/users/ines.halloran", "Inês Halloran"}, {"/ledger/900", "Revision 900"}, {"/sod-rules", "SoD rules"}, {"/requests/request-38", "Tariff reader"}} {
		b.Go(x.path)
		b.Until("the title is "+x.title, `document.title.startsWith(`+js(x.title)+`) && document.title.endsWith("Able Roster")`)
	}
	b.Press("Roles")
	b.Until("it is told", `[...document.querySelectorAll('[role="status"]')].some((x) => x.textContent === "Roles")`)
}

// The search offers what is done to somebody, as one would say it.
func TestTheSearchOffersActions(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Go("/today")
	b.Pick("Search for anyone or anything", "grant a role to ines hall", "Grant a role to Inês Halloran")
	b.Sees("Roles held directly")
	b.Pick("Search for anyone or anything", "retire berth r", "Retire Berth reader")
	b.Sees("Replacement, for its holders")
	b.Pick("Search for anyone or anything", "add a us", "Add a user")
	b.Sees("The user is added to the change sheet first")
	own := signedIn(t, s, demo.Pilot)
	own.Type("Search for anyone or anything", "suspend ines")
	own.Sees("Nothing matches.")
}
