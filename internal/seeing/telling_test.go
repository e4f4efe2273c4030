package seeing

import (
	"testing"
	"time"
)

// Whoever is told too much of what they may not see waits, nobody else does, and after a
// while they do no more.
func TestWhoeverIsToldTooMuchWaits(t *testing.T) {
	var x telling
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	for range tellsAtOnce {
		x.spend(7, 1, now)
		if err := x.Wait(7, now); err != nil {
			t.Fatal(err)
		}
	}
	x.spend(7, 1, now)
	if x.Wait(7, now) == nil || x.Wait(8, now) != nil || x.Wait(7, now.Add(tellsAgain)) != nil {
		t.Error("somebody waits for too much, or for too little")
	}
	x.spend(8, 1_000_000, now)
	if x.Wait(8, now.Add(mostSlow-time.Second)) == nil || x.Wait(8, now.Add(mostSlow)) != nil {
		t.Error("a file of a million names is told for nothing, or never forgotten")
	}
	x.spend(9, 1, now.Add(time.Hour))
	if len(x.full) != 1 {
		t.Errorf("%d are remembered", len(x.full))
	}
}
