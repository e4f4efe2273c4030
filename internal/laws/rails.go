package laws

import (
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/effect"
)

// RailsOf are the guard rails of a change by somebody.
func RailsOf(t *testing.T, s *access.Snapshot, caller string, ops ...change.Operation) []effect.RailCode {
	t.Helper()
	d := DraftOf(s, ops...)
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	id, _ := s.FindUser(caller)
	var out []effect.RailCode
	for _, r := range effect.Rails(d, id, effect.Of(d, 2), 2, nil) {
		if r.Passable == (r.Code == effect.LastAdministrator) {
			t.Errorf("%s: passable %v", r.Code, r.Passable)
		}
		out = append(out, r.Code)
	}
	return out
}
