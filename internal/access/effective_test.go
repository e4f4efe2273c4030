package access_test

import (
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/laws"
)

// When somebody counts is when a look at each instant says so.
func TestWhenSomebodyCounts(t *testing.T) {
	limited := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		o := laws.OracleOf(s)
		for u := range s.Users() {
			when := s.WhenEffective(u.ID)
			for range 50 {
				at := c.Instant()
				if want := o.Effective(u, at); when.Holds(at) != want || s.Effective(u.ID, at) != want {
					t.Fatalf("%s at %d: %v and %v, the oracle says %v", u.UserName, at, when, s.Effective(u.ID, at), want)
				}
			}
			if len(when) > 1 {
				limited++
			}
		}
	})
	if limited < 20 {
		t.Errorf("only %d users come and go", limited)
	}
}
