package e2e

import "testing"

// The guide "People": units, an invitation, a forgotten password, machines, somebody who leaves.
func TestTheWalkOfPeople(t *testing.T) {
	box := mailboxOf(t)
	w := newWalk(t, "docs/guide/people.md", box.with...)
	for _, x := range []saying{
		{0, "Signed in"}, {0, "Tomas Brandt"}, {0, "Added the unit Survey boats (marine/survey)"},
		{3, "did you mean marine/survey?"}, {0, "Moved Inês Halloran to marine/survey"},
		{0, "Moved the unit Patrol from security/patrol to patrol"}, {0, "Merged the unit Survey boats into Pilotage"},
		{0, "the head of the unit, then the owner of the role"}, {0, "Opened"},
		{0, "Declared the attribute Phone of units"}, {0, "Updated the unit Pilotage"},
		{0, "Added Alma Reyes"}, {0, "alma.reyes"}, {0, "on its way"}, {0, "invitation"}, {0, "Alma Reyes departed"},
		{0, "Whoever has an address in tug-crews.example may sign up, as a user in marine/tugs, for 90 days"}, {0, "Tug Crews"}, {0, "Nobody with an address in tug-crews.example may sign up any more"},
		{0, "Teams like Harbour projects may be opened by users in Office and below, and given Berth reader"}, {0, "Opened the team Deep berth, which Marta Quill manages"}, {0, "Added Inês Halloran to the group Deep berth"},
		{0, "Added Ola Finch"}, {0, "Granted"}, {0, "managed by Marta Quill, with 3 of at most 50 members"}, {0, "Closed the team Deep berth"}, {0, "Nobody may open or manage teams like Harbour projects any more"},
		{0, "access ends"},
		{0, "Wrote the default rule"}, {0, "Changed the default rule"}, {0, "21 days longer after a move"},
		{0, "a position in marine/tugs"}, {0, "2027-03-01 to 2027-05-31"}, {0, "ends on 30 Apr 2027"}, {0, "is absent from 1 Jun 2027"},
		{0, "decides in the place of Tomas Brandt from 1 Jun 2027 to 14 Jun 2027"}, {0, "A substitute of Tomas Brandt decides until 7 Jun 2027"},
		{0, "opens a review of what the user was given by hand, for their manager"}, {0, "A review is opened of what Inês Halloran was given by hand before the move"}, {0, "After a move"}, {0, "Opened the review"},
		{0, "of another company"}, {0, "Opened the access of Kittel Sorley"}, {0, "Kittel Sorley"}, {0, "Closed the access of Kittel Sorley"},
		{3, "looks like Inês Halloran"}, {0, "Added Inês Halloran"}, {0, "Merged the record"},
		{0, ""}, {0, "halloran.i (line 2) is ines.halloran"},
		{0, "If there is such a user"}, {0, "by your password alone"},
		{0, "nobody has said"}, {0, "are accountable for the machine account Barrier control"}, {0, "A new token of Barrier control"},
		{0, "Added Crane override"}, {0, "are accountable for the machine account Crane override"}, {0, "Made Crane override an emergency account, of which Marta Quill is the custodian"},
		{0, "Tested Crane override"}, {0, "Checked Crane override out until"}, {0, "Marta Quill has it until"}, {0, "Returned Crane override"}, {0, "The secret of Crane override was changed"},
		{1, "leads the unit"}, {0, "Tomas Brandt departed"}, {0, "Nothing hangs on tomas.brandt"},
	} {
		w.step(x.code, x.text)
	}
	w.done()
}
