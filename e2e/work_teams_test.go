package e2e

import (
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// A pilot, who may do nothing else in Able Roster, opens a team, puts somebody into it, invites
// somebody, and gives it the role of the rule; beyond that they may do what they could before.
func TestAPilotOpensATeam(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	marta := at(t, s, demo.Administrator)
	rule := []string{"team-rules", "set", "sea-projects", "-label", "Sea projects", "-where", `within eq "marine"`, "-role", "incident-log/reader", "-people", "marine", "-invites",
		"-guest-unit", "marine/tugs", "-guest-employment-type", "temporary", "-guest-sponsor", demo.Manager, "-guest-days", "60", "-max-members", "4", "-reason", "Work across the marine units"}
	marta.says(0, "Teams like Sea projects may be opened by users in Marine and below, and given Incident reader", rule...)
	pilot := at(t, s, demo.Pilot)
	pilot.says(0, "Sea projects", "team-rules", "list")
	pilot.says(3, "no team rule", "teams", "open", "quay", "-rule", "project-teams", "-reason", "x")
	pilot.says(0, "Opened the team Reef marks, which Inês Halloran manages", "teams", "open", "reef-marks", "-rule", "sea-projects", "-label", "Reef marks", "-reason", "The marks are to be moved")
	pilot.says(0, "Added Tomas Brandt to the group Reef marks", "teams", "add", "reef-marks", demo.Manager, "-reason", "He knows the reef")
	pilot.says(3, "outside what you may see", "teams", "add", "reef-marks", "marta.quill", "-reason", "x")
	pilot.says(0, "Granted Incident reader to the group Reef marks", "grant", "reef-marks", "incident-log/reader", "-to-group", "-reason", "What happened there")
	pilot.says(3, "outside what you may see", "grant", "reef-marks", "tariff-ledger/reader", "-to-group", "-reason", "x")
	pilot.says(3, "you may not assign", "grant", demo.Manager, "incident-log/reader", "-reason", "x")
	marta.says(0, "group Reef marks", "access", demo.Manager)

	// Whom they invite is mailed a link, and has what the team has once they take it up.
	const ola = "ola.finch@soundings.example"
	pilot.says(0, "Added Ola Finch", "teams", "invite", "reef-marks", "ola.finch", "-name", "Ola Finch", "-email", ola, "-reason", "Brings the sounder")
	l := box.waitsFor(t, ola, 1)
	if !strings.Contains(l.Text, "Inês Halloran invites you") {
		t.Errorf("%s", l.Text)
	}
	pilot.says(0, "ola.finch Ola Finch invited", "teams", "show", "reef-marks")
	pilot.says(0, "on its way", "invitations", "resend", "ola.finch")
	code := linkIn.FindStringSubmatch(box.waitsFor(t, ola, 2).Text)[1]
	if err := s.Client("").UseSignInLink(ctx, code, newPassword); err != nil {
		t.Fatal(err)
	}
	marta.says(0, "allowed", "check", "ola.finch", "incident-log", "read", "incidents/marine")
	if user := marta.says(0, "", "users", "show", "ola.finch"); !strings.Contains(user, "marine/tugs") || !strings.Contains(user, "temporary") || !strings.Contains(user, "Tomas Brandt") {
		t.Error(user)
	}
	guest, err := s.Client("").SignIn(ctx, "ola.finch", newPassword, "x")
	if err != nil {
		t.Fatal(err)
	}
	_ = guest
	// Another is removed, and does not take it up any more; there is room for four.
	pilot.says(0, "Added Bo Lind", "teams", "invite", "reef-marks", "bo.lind", "-name", "Bo Lind", "-email", "bo.lind@soundings.example", "-reason", "Helps")
	pilot.says(3, "as many members as a team like it may have: 4", "teams", "invite", "reef-marks", "cai.moss", "-name", "Cai Moss", "-email", "cai.moss@soundings.example", "-reason", "x")
	pilot.says(3, "you may not update bo.lind", "users", "change", "bo.lind", "-status", "active", "-reason", "x")
	code = linkIn.FindStringSubmatch(box.waitsFor(t, "bo.lind@soundings.example", 1).Text)[1]
	pilot.says(0, "Removed", "teams", "remove", "reef-marks", "bo.lind", "-reason", "Does not come")
	problem(t, s.Client("").UseSignInLink(ctx, code, newPassword), 403, "refused")

	// What somebody was invited to by a rule that has ended is not taken up.
	pilot.says(0, "Added Cai Moss", "teams", "invite", "reef-marks", "cai.moss", "-name", "Cai Moss", "-email", "cai.moss@soundings.example", "-reason", "Helps")
	code = linkIn.FindStringSubmatch(box.waitsFor(t, "cai.moss@soundings.example", 1).Text)[1]
	marta.says(0, "Nobody may open or manage teams like Sea projects any more", "team-rules", "end", "sea-projects", "-reason", "Enough")
	problem(t, s.Client("").UseSignInLink(ctx, code, newPassword), 403, "refused")
	pilot.says(3, "outside what you may see", "teams", "remove", "reef-marks", demo.Manager, "-reason", "x")
	pilot.says(0, "The rule has ended", "teams", "list")
	marta.says(0, "Closed the team Reef marks", "teams", "close", "reef-marks", "-acknowledge", "wide_loss", "-reason", "Enough")
	marta.says(1, "denied", "check", "ola.finch", "incident-log", "read", "incidents/marine")
}

// The same on the pages, up to the closing of the team; and somebody who is in it sees it, and who
// manages it, and no more.
func TestATeamOnThePages(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := signedIn(t, s, demo.Administrator)
	marta.Go("/team-rules")
	marta.Sees("adds people in Engineering")
	marta.Press("Add a rule")
	marta.Type("Name of such teams", "Sea projects")
	marta.Type("Filter: who may open one", `within eq "marine"`)
	marta.Pick("A role", "incident", "Incident reader")
	marta.Type("Unit whose people may be added", "marine")
	marta.Press("Its owner may invite people who have no account yet")
	marta.Type("Unit of whom they invite", "marine/tugs")
	marta.Accessible()
	marta.Press("Add to change sheet")
	commit(marta, "Work across the marine units")
	b := signedIn(t, s, demo.Pilot)
	b.Go("/teams")
	b.Press("Open a team")
	b.Type("Name", "Reef marks")
	b.Accessible()
	b.Press("Add to change sheet")
	commit(b, "The marks are to be moved")
	b.Go("/teams/reef-marks")
	b.Sees("you manage it")
	b.Pick("User to add", "tomas", "Tomas Brandt")
	b.Press("Add to change sheet")
	b.Press("Give Incident reader")
	b.Press("Invite somebody")
	b.Sees("A link is mailed")
	b.Type("Their name", "Ola Finch")
	b.Accessible()
	b.Type("E-mail address", "ola.finch@soundings.example\r")
	b.Sees("Invite Ola Finch into Reef marks")
	commits(b, "He knows the reef")
	b.Go("/teams/reef-marks")
	b.Sees("3 members")
	b.Sees("invited")
	b.Sees("its members hold it")
	b.Accessible()
	in := signedIn(t, s, demo.Manager)
	in.Go("/teams/reef-marks")
	in.Sees("Inês Halloran manages it")
	b.Press("Close the team")
	commits(b, "The marks are moved")
	b.Go("/teams/reef-marks")
	b.Sees("It was closed")
}
