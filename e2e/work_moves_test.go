package e2e

import (
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Once it is set so, a move puts what was given by hand before the new manager, whoever makes it;
// the last decision signs the review off, and all of it is found again.
func TestAMoveIsReviewedByTheNewManager(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas, ines := at(t, s, demo.Administrator), at(t, s, demo.Manager), at(t, s, demo.Pilot)
	move := []string{"users", "change", demo.Pilot, "-unit", "marine/tugs"}
	tomas.says(3, "you may not update the settings", "settings", "move-reviews", "on", "-reason", "Mine")
	marta.says(2, "is neither on nor off", "settings", "move-reviews", "perhaps", "-reason", "x")
	if text := marta.says(0, "", append(move, "-dry-run")...); strings.Contains(text, "review") {
		t.Errorf("a move opens a review, and nobody has said so:\n%s", text)
	}
	marta.says(0, "opens a review of what the user was given by hand, for their manager", "settings", "move-reviews", "on", "-reason", "Nobody keeps what the last job gave")
	marta.says(0, "A review is opened of what Inês Halloran was given by hand before the move:", append(move, "-dry-run")...)
	if text := tomas.says(0, "", "review", "list"); strings.Contains(text, "after-move") {
		t.Errorf("a preview opened a review:\n%s", text)
	}
	marta.says(0, "for Tomas Brandt.", append(move, "-reason", "Joins the tugs for good")...)
	ines.says(3, "there is no review", "review", "show", "after-move-7")
	tomas.says(0, "what Inês Halloran was given by hand before a move their manager 0 of 6 6 open", "review", "list")
	tomas.says(0, "6 items After a move", "today")
	tomas.says(0, "After a move looks at what Inês Halloran was given by hand before a move", "review", "show", "after-move-7")
	tomas.says(0, "sounding-surveys/surveyor given directly", "review", "items", "after-move-7")
	marta.says(3, "choose another", "review", "open", "after-move-77", "-person", demo.Pilot, "-reviewers", "manager", "-reason", "x")
	tomas.says(0, "An item of Inês Halloran marked for revocation in the review After a move", "review", "revoke", "after-move-7", demo.Pilot, "sounding-surveys/surveyor", "-reason", "The chart project is over")
	tomas.says(0, "5 items kept in the review After a move, which is signed off: 1 item revoked", "review", "keep", "after-move-7", "-all-mine", "-reason", "The rest fits")
	tomas.says(0, "it is signed", "review", "show", "after-move-7")
	ines.says(0, "", "my-access")
	marta.says(0, "The ledger verifies", "ledger", "verify")
}
