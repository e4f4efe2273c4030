package laws

import (
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
)

// RailsOf are the guard rails of a change by somebody.
func RailsOf(t *testing.T, s *access.Snapshot, caller string, ops ...change.Operation) []change.RailCode {
	t.Helper()
	d := DraftOf(s, ops...)
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	id, _ := s.FindUser(caller)
	var out []change.RailCode
	for _, r := range d.GuardRails(id, d.Preview(2), 2, nil) {
		if r.Passable == (r.Code == change.LastAdministrator) {
			t.Errorf("%s: passable %v", r.Code, r.Passable)
		}
		out = append(out, r.Code)
	}
	return out
}
