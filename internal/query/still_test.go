package query_test

import (
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/query"
)

// Who still holds by an assignment is whoever does now, or at an instant later at which anything
// begins, whoever was asked about before.
func TestWhoStillHoldsIsWhoDoesNowOrLater(t *testing.T) {
	holds, over := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		from := c.Instant()
		instants := []calendar.Instant{from}
		begins := func(w calendar.Window) {
			if w.From > from {
				instants = append(instants, w.From)
			}
		}
		for a := range s.AllAssignments() {
			begins(a.Window)
		}
		for u := range s.Users() {
			for _, m := range s.MembershipsOf(fact.Member{User: u.ID}) {
				begins(m.Window)
			}
		}
		for g := range s.Groups() {
			for _, m := range s.MembershipsOf(fact.Member{Group: g.ID}) {
				begins(m.Window)
			}
		}
		still := query.Still{S: s, From: from}
		for u := range s.Users() {
			want := map[fact.AssignmentID]bool{}
			for _, at := range instants {
				query.EachAssignment(s, u.ID, at, func(a *fact.Assignment) { want[a.ID] = true })
			}
			for a := range s.AllAssignments() {
				if got := still.Holds(u.ID, a); got != want[a.ID] {
					t.Fatalf("%s is said to hold by %+v from %s on: %v", u.UserName, a, from.Time(), got)
				}
				switch {
				case want[a.ID]:
					holds++
				case query.HoldsThrough(s, u.ID, a):
					over++
				}
			}
		}
	})
	if holds < 500 || over < 50 {
		t.Errorf("%d hold, for %d it is over: too few to prove anything", holds, over)
	}
	if (&query.Still{S: access.Empty()}).Holds(1, nil) {
		t.Error("somebody holds by nothing")
	}
}
