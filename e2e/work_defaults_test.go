package e2e

import (
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// Somebody joins, moves and leaves: what rules give comes and goes with them,
// seen before and asked for any day after.
func TestDefaultsByCommandLine(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	x.says(0, "crane-crew", "defaults", "list")
	x.says(0, "Crane observer by the default rule Crane crew", "defaults", "preview", "-unit", "terminal/cranes", "-title", "Crane operator")
	x.says(0, "Order reader group Terminal staff by the default rule Crane crew", "defaults", "preview", "-unit", "terminal/cranes", "-title", "Crane operator")

	x.says(3, "would gain", "defaults", "add", "quay-charts", "-where", `within eq "terminal"`, "-role", "sounding-surveys/reader", "-dry-run")
	x.says(3, "does not mean everybody", "defaults", "add", "quay-charts", "-role", "sounding-surveys/reader", "-reason", "x")
	x.says(3, "did you mean sounding-surveys/reader?", "defaults", "add", "quay-charts", "-everybody", "-role", "sounding-surveys/raeder", "-reason", "x")
	x.says(3, "Acknowledge gain_for_everybody", "defaults", "add", "all-admins", "-everybody", "-role", "access-administrator", "-reason", "x")
	x.says(0, "users in Terminal and below get the role Survey reader", "defaults", "add", "quay-charts", "-where", `within eq "terminal"`, "-role", "sounding-surveys/reader", "-reason", "Berths are sounded", "-acknowledge", "wide_gain")

	x.says(0, "Done, as revision", "users", "add", "zoe.marrick", "-name", "Zoë Marrick", "-unit", "terminal/cranes", "-title", "Crane operator", "-reason", "Joins")
	x.says(0, "by the role Survey reader", "check", "zoe.marrick", "sounding-surveys", "read", "charts")
	x.says(0, "Terminal staff", "access", "zoe.marrick")
	x.says(3, "is granted by the default rule quay-charts: edit the rule", "revoke", "zoe.marrick", "sounding-surveys/reader", "-reason", "x")
	file := writeFile(t, `{"operations":[{"op":"update_user","user":"zoe.marrick","unit":"finance"}]}`)
	x.says(0, "would lose", "change", file, "-dry-run")
	x.says(0, "Moved Zoë Marrick to finance", "change", file, "-reason", "Moves")
	x.says(1, "no role held gives it", "check", "zoe.marrick", "sounding-surveys", "read", "charts")

	x.says(0, "get the role Survey reader", "defaults", "change", "quay-charts", "-where", `within eq "terminal" or within eq "finance"`, "-reason", "Finance bills soundings")
	x.says(0, "granted", "check", "zoe.marrick", "sounding-surveys", "read", "charts", "-output", "json")
	x.says(3, "would lose all they have in Sounding surveys", "defaults", "end", "quay-charts", "-reason", "Thought better of it")
	x.says(0, "Ended the default rule quay-charts", "defaults", "end", "quay-charts", "-reason", "Thought better of it", "-acknowledge", "wide_loss")
	x.says(1, "no role held gives it", "check", "zoe.marrick", "sounding-surveys", "read", "charts")
	x.says(3, "has ended", "defaults", "change", "quay-charts", "-where", "title pr", "-reason", "x")
	x.says(0, "The ledger verifies", "ledger", "verify")
}

// What is asked by the network interface: grants by a rule name it, a manual
// grant beside one stays, and who may not read the settings reads no rules.
func TestDefaultsByAPI(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	_, err := tomas.Defaults(ctx, nil)
	problem(t, err, 403, "refused")
	all, err := marta.Defaults(ctx, nil)
	if err != nil || len(all.Defaults) != 2 || all.Defaults[0].UserCount == 0 || all.Defaults[0].Given.By.Key != demo.Administrator {
		t.Fatalf("%+v %v", all, err)
	}
	before, err := marta.Defaults(ctx, client.Query{}.AsOf(time.Now().AddDate(0, -14, 0)))
	if err != nil || len(before.Defaults) != 0 {
		t.Errorf("there were %d rules before any was written (%v)", len(before.Defaults), err)
	}
	day, err := tomas.NewUserPreview(ctx, client.Query{"would_be": `{"unit":"marine/pilotage","title":"Harbour pilot"}`})
	if err != nil || len(day.Rules) != 0 || len(day.Lines) == 0 {
		t.Errorf("a new pilot: %+v %v", day, err)
	}
	_, err = tomas.NewUserPreview(ctx, client.Query{"would_be": `{"unit":"finance"}`})
	problem(t, err, 403, "refused")
	_, err = marta.NewUserPreview(ctx, client.Query{"would_be": `{"kind":"robot"}`})
	problem(t, err, 422, "invalid")

	crew, err := marta.Users(ctx, client.Query{"filter": `title eq "Crane operator" and within eq "terminal/cranes" and status eq "active"`})
	if err != nil || len(crew.Users) == 0 {
		t.Fatal(err)
	}
	who := crew.Users[0].UserName
	if _, err := marta.Change(ctx, changeOf("Beside the rule", grantTo(who, "crane-control/observer")), false); err != nil {
		t.Fatal(err)
	}
	held := func() (byRule, byHand int) {
		u, err := marta.User(ctx, who, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, a := range u.Assignments {
			if a.Role.Key != "crane-control/observer" {
				continue
			}
			if a.Default != nil && a.Origin == "default" && a.Default.Key == "crane-crew" {
				byRule++
			} else if a.Default == nil && a.Origin == "manual" {
				byHand++
			}
		}
		return byRule, byHand
	}
	if r, h := held(); r != 1 || h != 1 {
		t.Errorf("held %d times by rule and %d by hand", r, h)
	}
	out, err := marta.Change(ctx, changeOf("No more", `{"op":"end_default","default":"crane-crew"}`), false)
	if err != nil || out.Preview == nil {
		t.Fatal(err)
	}
	if r, h := held(); r != 0 || h != 1 {
		t.Errorf("after the rule ended held %d times by rule and %d by hand", r, h)
	}
	for _, e := range out.Preview.Effects { // whoever holds it by hand too loses nothing of it
		for _, u := range e.Users {
			for _, l := range e.Lost {
				if u.Key == who && l.Application.Key == "crane-control" {
					t.Errorf("%s loses %+v", who, l)
				}
			}
		}
	}
	if _, err := marta.Change(ctx, changeOf("Leaves", `{"op":"update_user","user":"`+usageClerk(t, marta)+`","status":"departed"}`), false); err != nil {
		t.Fatal(err)
	}
	if v, err := marta.Verify(ctx, nil); err != nil || !v.Verified {
		t.Errorf("%+v %v", v, err)
	}
}

func usageClerk(t *testing.T, c *client.Client) string {
	t.Helper()
	all, err := c.Users(ctx, client.Query{"filter": `within eq "terminal/tally" and status eq "active"`})
	if err != nil || len(all.Users) == 0 {
		t.Fatal(err)
	}
	return all.Users[0].UserName
}

// A rule is written by its form, seen on the sheet, and takes effect.
func TestDefaultsByConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.Go("/")
	b.SignIn(demo.Administrator, demo.Password)
	b.Go("/defaults?unit=terminal%2Fcranes&title=Crane%20operator")
	b.Sees("Chosen by Crane crew")
	b.Press("Crane observer by the default rule Crane crew")
	b.Sees("A new user")
	b.Press("Write a default rule")
	b.Type("Name of the rule", "Charts for pilots")
	b.Type(`For users who match such as within eq "marine" and employment_type eq "staff"`, `within eq "marine/pilotage"`)
	b.Type("Role it gives", "Chart publisher")
	b.Press("Chart publisher")
	b.Press("Add to change sheet")
	b.Sees("in Sounding surveys")
	b.Type("Reason", "Pilots correct charts")
	b.Press("Commit 1 change")
	b.Sees("Wrote the default rule Charts for pilots")
	b.Go("/users/ines.halloran?tab=given")
	b.Sees("by the default rule Charts for pilots")
	b.Go("/defaults")
	b.Sees("Charts for pilots")
}

// Past the end date, or departed, somebody is out at once: sessions, tokens and
// access; what they answered for is listed.
func TestTheEndEndsEverythingAtOnce(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, ines, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot), s.SignIn(t, demo.Manager)
	yesterday := time.Now().AddDate(0, 0, -1).Format(time.DateOnly)
	if _, err := marta.Change(ctx, changeOf("Contract over", `{"op":"update_user","user":"ines.halloran","end_date":"`+yesterday+`"}`), false); err != nil {
		t.Fatal(err)
	}
	_, err := ines.Me(ctx)
	problem(t, err, 401, "not-signed-in")
	if allowed(t, marta, demo.Pilot, "berth-planning", "read", "board") {
		t.Error("past her end date she reads the board")
	}
	_, err = ines.SignIn(ctx, demo.Pilot, demo.Password, "again")
	problem(t, err, 401, "not-signed-in")
	out, err := marta.Change(ctx, changeOf("Left", `{"op":"update_user","user":"tomas.brandt","status":"departed"}`), false)
	if err != nil {
		t.Fatal(err)
	}
	_, err = tomas.Me(ctx)
	problem(t, err, 401, "not-signed-in")
	if len(out.Notes) != 1 || !strings.Contains(out.Notes[0].Message, "the application Berth planning") || !strings.Contains(out.Notes[0].Message, "as manager") {
		t.Errorf("%+v", out.Notes)
	}
}

// What must hold of a new user on their first day is kept: whoever would take it from them is
// stopped, whatever they change; it is told, exported, loaded and undone as any expectation is.
func TestTheFirstDayOfANewUserIsKept(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	made, err := marta.Change(ctx, changeOf("They work from the first hour",
		`{"op":"set_expectation","key":"crane-operators-begin","application":"crane-control","action":"read","pattern":"cranes","may":true,"blocking":true,"would_be":{"unit":"terminal/cranes","title":"Crane operator"}}`), false)
	if err != nil || !strings.Contains(made.Sentences[0], "A new user (unit terminal/cranes, title Crane operator) may read cranes in Crane control") {
		t.Fatalf("%+v %v", made, err)
	}
	for op, stopped := range map[string]bool{
		`{"op":"end_default","default":"crane-crew"}`:                                            true,
		`{"op":"end_default","default":"tally-staff"}`:                                           false,
		`{"op":"grant","role":"crane-control/lock-keeper","user":"ines.halloran"}`:               false,
		`{"op":"move_unit","unit":"terminal/cranes","to":"terminal/lifting"}`:                    false,
		`{"op":"update_default","default":"crane-crew","filter":"within eq \"terminal/tally\""}`: true,
		`{"op":"add_default","key":"a-look","everybody":true,"roles":["tide-board/viewer"]}`:     false,
	} {
		dry, err := marta.Change(ctx, changeOf("x", op), true)
		if dry.Preview == nil {
			t.Errorf("%s: %v", op, err)
			continue
		}
		told := ""
		for _, r := range dry.Preview.Rails {
			if r.Code == "expectation_broken" {
				told = r.Message
			}
		}
		if (told != "") != stopped || stopped && !strings.Contains(told, "would not hold any more") {
			t.Errorf("%s: %q", op, told)
		}
	}
	file, err := marta.RosterFile(ctx, nil)
	if err != nil || !strings.Contains(string(file), "would_be:") {
		t.Fatalf("%v", err)
	}
	if again, err := marta.LoadRosterFile(ctx, file, client.Query{"reason": "As it is"}); err != nil || !again.Unchanged {
		t.Errorf("%+v %v", again, err)
	}
	if wrong, err := marta.LoadRosterFile(ctx, []byte(strings.Replace(string(file), "title: Crane operator", "titel: Crane operator", 1)), client.Query{"reason": "x"}); err == nil {
		t.Errorf("%+v", wrong)
	}
	list, err := marta.Expectations(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range list.Expectations {
		if x.Key == "crane-operators-begin" && (x.Broken != nil || x.WouldBe["unit"] != "terminal/cranes" || x.WouldBe["title"] != "Crane operator") {
			t.Errorf("%+v", x)
		}
	}
	undo, err := marta.Undo(ctx, made.Revision)
	if err != nil || len(undo.Lines) != 1 {
		t.Errorf("%+v %v", undo, err)
	}
}
