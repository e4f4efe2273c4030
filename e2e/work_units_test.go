package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// The organisation is described, moved about and merged by the command line; a mistyped unit
// is refused with what may be meant, or made when so said.
func TestUnitsAreDescribed(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	all := x.says(0, "Marine", "units", "list")
	for _, want := range []string{"Customs liaison", "Tomas Brandt", "(Tomas Brandt)"} {
		if !strings.Contains(all, want) {
			t.Errorf("no %s in\n%s", want, all)
		}
	}
	x.says(3, "there is no unit “marine/pilotge” did you mean marine/pilotage?", "users", "change", demo.Pilot, "-unit", "marine/pilotge", "-reason", "x")
	x.says(0, "Added the unit night (marine/pilotage/night)", "users", "change", demo.Pilot, "-unit", "marine/pilotage/night", "-new-unit", "-reason", "Sails at night")
	before := x.says(0, "", "access", demo.Pilot, "-output", "csv")
	x.says(0, "Moved the unit Marine from marine to sea", "units", "move", "marine", "sea", "-acknowledge", "administering_gain", "-reason", "As the others call it")
	if after := x.says(0, "", "access", demo.Pilot, "-output", "csv"); after != before {
		t.Errorf("by a new name\n%s\nbecame\n%s", before, after)
	}
	x.says(0, "sea/pilotage/night", "users", "show", demo.Pilot)
	// Whoever looked after the people of marine looks after them still.
	tomas := s.SignIn(t, demo.Manager)
	if list, err := tomas.Users(ctx, client.Query{"unit": "sea/pilotage/night"}); err != nil || len(list.Users) != 1 {
		t.Errorf("%+v %v", list, err)
	}
	units, err := tomas.Units(ctx, nil)
	if err != nil || len(units.Units) < 3 {
		t.Errorf("%+v %v", units, err)
	}
	for _, u := range units.Units {
		if u.Path != "sea" && !strings.HasPrefix(u.Path, "sea/") {
			t.Errorf("%s is told to the manager of marine", u.Path)
		}
	}
	revision := x.says(0, "", "history")
	if !strings.Contains(revision, "Moved the unit Marine from marine to sea") {
		t.Error(revision)
	}
	// A file names units that are there, or says that they are new.
	file := filepath.Join(t.TempDir(), "people.csv")
	if err := os.WriteFile(file, []byte("user_name,unit\nzoe.marrick,docks/dry\nsam.oduya,docks\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	x.says(3, "there is no unit “docks/dry”", "users", "import", file, "-reason", "x")
	x.says(0, "2 units added 2 users added", "users", "import", file, "-new-units", "-reason", "The dry docks were bought")
	x.says(3, "1 person is in dry", "units", "end", "docks/dry", "-reason", "x")
	x.says(0, "Merged the unit dry into docks", "units", "merge", "docks/dry", "docks", "-reason", "One yard")
	x.says(0, "docks", "users", "show", "zoe.marrick")
	x.says(3, "did you mean zoe.marrick?", "units", "change", "docks", "-head", "zoe.marick", "-reason", "x")
	x.says(0, "Made zoe.marrick head of docks", "units", "change", "docks", "-head", "zoe.marrick", "-reason", "Leads it")
}

// A request goes to the head of the unit, or of the nearest one above, and a round to the
// heads of those it looks at.
func TestTheHeadOfAUnitDecides(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	x.says(0, "Wrote the route", "routes", "set", "by-head", "unit_head", "-reason", "Heads decide")
	x.says(0, "", "catalogue", "add", "sounding-surveys/reader", "by-head", "Read the surveys", "-reason", "For everybody")
	x.says(0, "Made Bettina Osei head of Pilotage", "units", "change", "marine/pilotage", "-head", demo.Auditor, "-reason", "Leads it")
	at(t, s, demo.Pilot).says(0, "Bettina Osei", "request", "sounding-surveys/reader", "-reason", "For the dredger")
	at(t, s, demo.Auditor).says(0, "Inês Halloran", "requests", "-to-decide")
	x.says(0, "Opened", "review", "open", "heads", "-group", "tug-crews", "-reviewers", "unit_head", "-reason", "Heads look")
}
