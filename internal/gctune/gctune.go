// Package heap says how a program of ours collects its garbage.
package gctune

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
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
}

// Sizes up to which a heap may grow before it is collected while something large
// is under way, and beyond which it is collected whatever is under way.
const (
	roomy = 900 << 20
	most  = 1100 << 20
)

// Busy lets the heap of a small organisation grow while something large that soon
// is over is under way, instead of going through it again and again. What it returns
// is called once it is over.
func Busy() (over func()) {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(live)
	busy.Lock()
	defer busy.Unlock()
	if busy.n++; busy.n == 1 && os.Getenv("GOGC") == "" {
		// A heap of nothing, before anything was collected, would be let grow without end.
		busy.percent = debug.SetGCPercent(max(50, int(100*roomy/max(live[0].Value.Uint64(), 1<<20))-100))
		busy.limit = debug.SetMemoryLimit(most)
	}
	return sync.OnceFunc(func() {
		busy.Lock()
		defer busy.Unlock()
		if busy.n--; busy.n == 0 && os.Getenv("GOGC") == "" {
			debug.SetGCPercent(busy.percent)
			debug.SetMemoryLimit(busy.limit)
		}
	})
}
