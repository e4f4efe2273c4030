// Package heap says how a program of ours collects its garbage.
package gctune

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"time"
)

// floor is never touched, so it takes address space and no memory. It keeps a
// small organisation's heap from being collected every few megabytes.
var floor []byte

// Settle sets the collector up for a heap of which nearly all is the snapshot
// and lives long: half of it again is room enough for what comes and goes, and
// some 64 MiB at least. GOGC in the environment has the last word.
func Settle() {
	if os.Getenv("GOGC") != "" {
		return
	}
	debug.SetGCPercent(50)
	floor = make([]byte, 128<<20)
	runtime.KeepAlive(floor)
}

var busy struct {
	sync.Mutex
	n       int
	percent int
	limit   int64
	stop    chan struct{}
}

// Sizes up to which a heap may grow before it is collected while something large
// is under way, and beyond which it is collected whatever is under way. A heap of which
// more than that lives has room beside what lives: it would be collected without end.
const (
	roomy = 900 << 20
	most  = 1100 << 20
)

// often is how often it is looked how much of the heap lives while something is under way.
const often = time.Second

// Busy lets the heap of a small organisation grow while something large that soon
// is over is under way, instead of going through it again and again. What it returns
// is called once it is over.
func Busy() (over func()) {
	busy.Lock()
	defer busy.Unlock()
	if busy.n++; busy.n == 1 && os.Getenv("GOGC") == "" {
		percent, limit := roomFor(living())
		busy.percent, busy.limit = debug.SetGCPercent(percent), debug.SetMemoryLimit(limit)
		busy.stop = make(chan struct{})
		go keepRoom(busy.stop)
	}
	return sync.OnceFunc(func() {
		busy.Lock()
		defer busy.Unlock()
		if busy.n--; busy.n == 0 && os.Getenv("GOGC") == "" {
			close(busy.stop)
			debug.SetGCPercent(busy.percent)
			debug.SetMemoryLimit(busy.limit)
		}
	})
}

// keepRoom gives what lives its room while it grows.
func keepRoom(stop chan struct{}) {
	tick := time.NewTicker(often)
	defer tick.Stop()
	for {
		select {
		case <-stop:
			return
		case <-tick.C:
		}
		busy.Lock()
		if busy.n > 0 && busy.stop == stop {
			percent, limit := roomFor(living())
			debug.SetGCPercent(percent)
			debug.SetMemoryLimit(limit)
		}
		busy.Unlock()
	}
}

// living is how many bytes of the heap lived when it was collected last.
func living() uint64 {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(live)
	return live[0].Value.Uint64()
}

// roomFor is how much garbage may pile up, in percent of what lives, and the size beyond
// which it is collected in any case.
func roomFor(live uint64) (percent int, limit int64) {
	// A heap of nothing, before anything was collected, would be let grow without end.
	percent = max(50, int(100*roomy/max(live, 1<<20))-100)
	return percent, max(most, int64(live)*7/4)
}
