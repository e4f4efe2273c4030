package e2e

import (
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// narrow are pages that are used on a telephone.
var narrow = []string{"/today", "/my-access", "/catalogue", "/requests", "/requests/request-31", "/reviews", "/reviews/marine-winter", "/users", "/users/add", "/units", "/users/ines.halloran",
	"/users/ines.halloran?tab=given", "/users/ines.halloran?tab=attributes", "/users/ines.halloran?tab=timeline", "/users/ines.halloran?tab=history", "/groups", "/groups/pilots", "/applications",
	"/applications/berth-planning", "/roles", "/roles/duty-officer", "/defaults", "/sod-rules", "/freezes", "/shares", "/expectations", "/delegations", "/findings", "/gained-and-lost", "/ledger", "/ledger/900",
	"/security-log", "/invitations", "/calendar", "/mail", "/machine-accounts", "/connections", "/employment-types", "/sign-up-rules", "/shared-accounts", "/team-rules", "/teams", "/import", "/guard-rails", "/attributes", "/view-as"}

// At 320 pixels nothing has to be scrolled sideways but tables of many columns within
// themselves; the pages are behind a press; and what is put on the change sheet leaves the
// page in view.
func TestPagesFitANarrowWindow(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Size(320, 640)
	for _, path := range narrow {
		b.Go(path)
		b.Until("the page is drawn", `document.querySelector("main h1") !== null && !document.body.innerText.includes("Reading ")`)
		var wide string
		b.Eval(`(() => { const m = document.getElementById("main"); const out = []
			if (document.documentElement.scrollWidth > 320) out.push("the page is " + document.documentElement.scrollWidth)
			if (m.scrollWidth > m.clientWidth + 1) { out.push("it is " + m.scrollWidth + " in " + m.clientWidth)
				for (const e of m.querySelectorAll("*")) { const r = e.getBoundingClientRect(); if (r.right > 321 && !e.closest("table.register, pre, [class*=overflow]:not(main)")) { out.push(e.outerHTML.slice(0, 140)); break } } }
			return out.join("; ") })()`, &wide)
		if wide != "" {
			t.Errorf("%s: %s", path, wide)
		}
	}
	b.Go("/today")
	b.Accessible()
	b.Press("Menu")
	b.Accessible()
	b.Press("Users")
	b.Sees("Build a filter")
	b.Go("/users/ines.halloran?tab=attributes")
	b.Press("Suspend")
	b.Sees("Change sheet, 1 change")
	b.SeesNot("Commit 1 change")
	b.Press("Change sheet, 1 change")
	b.Sees("Commit 1 change")
	b.Accessible()
}
