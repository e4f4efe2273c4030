package e2e

import (
	"slices"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// While an approver is on leave their substitute is asked, decides, and is told as such; nobody
// else learns of the request; and it is over once it is ended.
func TestASubstituteDecides(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas, ines := at(t, s, demo.Administrator), at(t, s, demo.Manager), at(t, s, demo.Pilot)
	first, last := time.Now().AddDate(0, 0, -1).Format(time.DateOnly), time.Now().AddDate(0, 0, 9).Format(time.DateOnly)
	add := []string{"substitutes", "add", "tomas.brandt", demo.Pilot, "-start", first, "-end", last}
	const waits = "request-36" // for Tomas
	ines.says(3, "there is no request", "requests", "show", waits)
	ines.says(3, "there is no user “tomas.brandt”", append(add, "-reason", "Mine")...)
	tomas.says(3, "Inês Halloran would decide in the place of Tomas Brandt on requests or reviews of roles that you may not assign yourself", append(add, "-reason", "Two weeks of leave")...)
	marta.says(0, "Inês Halloran decides on requests for", append(add, "-dry-run")...)
	marta.says(0, "Inês Halloran decides in the place of Tomas Brandt from", append(add, "-reason", "Two weeks of leave")...)
	ines.says(0, waits, "today")
	ines.says(0, "Tomas Brandt, Inês Halloran", "requests", "show", waits)
	ines.says(0, "Approved", "decide", waits, "approve", "-reason", "Needed for the buoys")
	tomas.says(0, "Inês Halloran approved in the place of Tomas Brandt", "requests", "show", waits)
	marta.says(0, "Substitutes, who decide on requests and reviews in their place", "users", "show", "tomas.brandt")
	marta.says(0, "Decides in the place of Tomas Brandt", "users", "show", demo.Pilot)

	ines.says(0, "You decide in the place of Tomas Brandt", "my-access")

	// A review's decision has both names too.
	items := client.Query{"mine": "true", "undecided": "true", "limit": "20"}
	page, err := s.SignIn(t, demo.Pilot).ReviewItems(ctx, "marine-winter", items)
	if err != nil || len(page.Items) == 0 {
		t.Fatal(page, err)
	}
	item := page.Items[0]
	ines.says(0, "An item of "+item.User.Label+" kept in the review Marine unit, winter, in the place of Tomas Brandt", "review", "keep", "marine-winter", item.User.Key, item.Role.Key, "-reason", "Needed on the quay")
	delete(items, "undecided")
	if page, err = s.SignIn(t, demo.Manager).ReviewItems(ctx, "marine-winter", items); err != nil {
		t.Fatal(err)
	}
	if i := slices.IndexFunc(page.Items, func(l wire.ReviewItem) bool { return l.Assignment == item.Assignment && l.User.ID == item.User.ID }); i < 0 ||
		page.Items[i].For == nil || page.Items[i].For.Label != "Tomas Brandt" || page.Items[i].Decided.By.Label != "Inês Halloran" {
		t.Errorf("what a substitute decided is shown as %+v", page.Items)
	}

	// What waits for both waits for one of them once it is ended.
	next := requestIn.FindString(ines.says(0, "waits for the manager: Tomas Brandt.", "request", "works-orders/raiser", "-reason", "For the buoys"))
	ines.says(3, "nobody decides on their own request", "decide", next, "approve", "-reason", "In his place")
	marta.says(0, "A substitute of Tomas Brandt decides until", "substitutes", "end", "tomas.brandt", "1", "-end", time.Now().AddDate(0, 0, 1).Format(time.DateOnly), "-reason", "Back sooner")
	marta.says(0, "Ended a substitute of Tomas Brandt", "substitutes", "end", "tomas.brandt", "1", "-reason", "Back")
	marta.says(3, "tomas.brandt has no substitute of this number", "substitutes", "end", "tomas.brandt", "1", "-reason", "Back")
	ines.says(0, "approved in the place of Tomas Brandt", "requests", "show", waits)
	tomas.says(0, "Approved", "decide", next, "approve", "-reason", "Myself again")
	marta.says(0, "The ledger verifies", "ledger", "verify")
}
