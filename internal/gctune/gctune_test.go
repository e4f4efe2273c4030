package gctune

import (
	"runtime/debug"
	"sync"
	"testing"
)

// percent is how much garbage the collector lets pile up now.
func percent() int {
	now := debug.SetGCPercent(100)
	debug.SetGCPercent(now)
	return now
}

// What is under way lets the heap grow, however many are at once, and when the last
// is over all is as it was.
func TestTheCollectorIsLeftAsItWas(t *testing.T) {
	t.Setenv("GOGC", "")
	Settle()
	before, limit := percent(), debug.SetMemoryLimit(-1)
	if before != 50 {
		t.Errorf("settled at %d", before)
	}
	first := Busy()
	if during := percent(); during <= before {
		t.Errorf("%d while something large is under way, %d before", during, before)
	}
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			over := Busy()
			over()
			over() // once is enough
		})
	}
	all.Wait()
	if during := percent(); during <= before || debug.SetMemoryLimit(-1) != most {
		t.Errorf("%d while the first is under way still", during)
	}
	first()
	if after := percent(); after != before || debug.SetMemoryLimit(-1) != limit {
		t.Errorf("%d after, %d before", after, before)
	}
}

// Whoever sets the collector up in the environment has the last word.
func TestTheEnvironmentHasTheLastWord(t *testing.T) {
	t.Setenv("GOGC", "77")
	defer debug.SetGCPercent(debug.SetGCPercent(77))
	Settle()
	over := Busy()
	if percent() != 77 {
		t.Errorf("%d", percent())
	}
	over()
	if percent() != 77 {
		t.Errorf("%d after", percent())
	}
}

// What lives has room beside it, whatever its size: a limit below it would have the collector
// run without end.
func TestALargeHeapHasRoom(t *testing.T) {
	for _, live := range []uint64{0, 1 << 20, 300 << 20, 900 << 20, 2 << 30, 8 << 30} {
		percent, limit := roomFor(live)
		if percent < 50 || limit < most || uint64(limit) < live+live/2 {
			t.Errorf("%d MB live: %d %%, at most %d MB", live>>20, percent, limit>>20)
		}
	}
}
