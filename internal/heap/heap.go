// Package heap says how a program of ours collects its garbage.
package heap

import (
	"os"
	"runtime"
	"runtime/debug"
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
