package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// What begins and ends in the days to come is told in order, to whom it concerns: a part to
// who sees a part, and to everybody what is theirs.
func TestWhatBeginsAndEnds(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x, marta := at(t, s, demo.Administrator), s.SignIn(t, demo.Administrator)
	last := time.Now().AddDate(0, 0, 5).Format(time.DateOnly)
	later := time.Now().AddDate(0, 0, 40).Format(time.DateOnly)
	x.says(0, "Granted", "grant", demo.Pilot, "crane-control/operator", "-from", last, "-until", later, "-reason", "For the season")
	x.says(0, "", "users", "change", demo.Auditor, "-end", last, "-reason", "His last day")
	kinds := func(c *client.Client, q client.Query) (out map[string]int, all wire.Calendar) {
		t.Helper()
		all, err := c.DatesAhead(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		out = map[string]int{}
		for i, e := range all.Entries {
			out[e.Kind]++
			if i > 0 && e.At.Before(all.Entries[i-1].At) || e.At.After(all.Until) {
				t.Errorf("%+v is out of order", e)
			}
		}
		return out, all
	}
	found, all := kinds(marta, nil)
	if found["access_begins"] == 0 || found["access_ends"] == 0 || found["end_date"] == 0 || found["freeze_begins"] != 1 {
		t.Errorf("%v", found)
	}
	has := func(all wire.Calendar, day, kind, user string) bool {
		for _, e := range all.Entries {
			if e.Day == day && e.Kind == kind && e.User != nil && e.User.Key == user {
				return true
			}
		}
		return false
	}
	for _, want := range []struct{ day, kind, user string }{{last, "access_begins", demo.Pilot}, {later, "access_ends", demo.Pilot}, {last, "end_date", demo.Auditor}} {
		if !has(all, want.day, want.kind, want.user) {
			t.Errorf("no %v", want)
		}
	}
	if _, few := kinds(marta, client.Query{"days": "10"}); has(few, later, "access_ends", demo.Pilot) || len(few.Entries) >= len(all.Entries) {
		t.Error("ten days reach as far as ninety")
	}
	if _, cranes := kinds(marta, client.Query{"application": "crane-control"}); !has(cranes, later, "access_ends", demo.Pilot) || has(cranes, last, "end_date", demo.Auditor) {
		t.Errorf("%+v", cranes.Entries)
	}
	found, part := kinds(s.SignIn(t, demo.Manager), nil)
	for _, e := range part.Entries {
		if e.User != nil && e.User.Key == demo.Auditor || e.Label != "" || e.Role != nil && strings.HasPrefix(e.Role.Key, "crane-control") {
			t.Errorf("the manager of marine is told %+v", e)
		}
	}
	if _, own := kinds(s.SignIn(t, demo.Pilot), client.Query{"mine": "true"}); !has(own, later, "access_ends", demo.Pilot) {
		t.Errorf("%v %+v", found, own.Entries)
	}
	x.says(0, "access begins", "calendar", "-unit", "marine")
	_, err := marta.DatesAhead(ctx, client.Query{"application": "crane-controll"})
	problem(t, err, 404, "not-found")
	_, err = marta.DatesAhead(ctx, client.Query{"days": fmt.Sprint(4000)})
	problem(t, err, 422, "invalid")
}
