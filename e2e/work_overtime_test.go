package e2e

import (
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// What somebody held when, and how many had anything in an application, are what
// the pages of those days say.
func TestOverTimeIsWhatTheDaysSay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	from := time.Now().AddDate(0, -10, 0).UTC().Truncate(time.Second)
	over, err := marta.OverTime(ctx, "pilot-roster", client.Query{"from": from.Format(time.RFC3339), "points": "3"})
	if err != nil || len(over.Points) != 3 {
		t.Fatal(err)
	}
	for _, p := range over.Points {
		people, sum := 0, 0
		q := client.Query{"application": "pilot-roster", "limit": "500"}.AsOf(p.At)
		grid, err := marta.Grid(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range grid.Rows {
			for _, c := range r.Cells {
				if c.Mark != "" && r.Kind == "user" {
					people++
					break
				}
			}
		}
		for _, n := range p.Ways {
			sum += n
		}
		if people != p.All || sum != p.All || people == 0 {
			t.Errorf("on %s %d people are counted (%d by way), the grid shows %d", p.At, p.All, sum, people)
		}
	}
	part, err := tomas.OverTime(ctx, "pilot-roster", client.Query{"points": "2"})
	if err != nil || part.Points[1].All == 0 {
		t.Errorf("%+v %v", part, err)
	}
	_, err = tomas.OverTime(ctx, "tariff-ledger", nil)
	problem(t, err, 404, "not-found")
	_, err = marta.OverTime(ctx, "pilot-roster", client.Query{"from": "2999-01-01T00:00:00Z"})
	problem(t, err, 422, "invalid")
	life, err := marta.Timeline(ctx, demo.Pilot)
	if err != nil || len(life.Roles) < 7 {
		t.Fatalf("%+v %v", life, err)
	}
	u, err := marta.User(ctx, demo.Pilot, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range u.Assignments {
		found := false
		for _, r := range life.Roles {
			for _, x := range r.Spans {
				found = found || r.Role.ID == a.Role.ID && x.Way == "direct" && x.Given.Reason == a.Given.Reason
			}
		}
		if !found {
			t.Errorf("her life lacks %s", a.Role.Label)
		}
	}
	_, err = s.SignIn(t, demo.Pilot).Timeline(ctx, "b.osei")
	problem(t, err, 404, "not-found")
}
