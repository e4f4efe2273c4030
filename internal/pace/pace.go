// Package pace has long work give way to short: on a machine with few processors what is
// worked out over many seconds would otherwise make everybody wait who only asks for
// something.
package pace

import (
	"runtime"
	"sync/atomic"
	"time"
)

const (
	every = 10 * time.Millisecond    // how often long work pauses,
	nap   = time.Millisecond         // and for how long,
	late  = nap + 5*time.Millisecond // how late it is woken when the processors are busy,
	most  = 10 * time.Millisecond    // and how long it pauses once more then
)

var (
	began = time.Now()
	last  atomic.Int64 // when somebody paused, in nanoseconds since then
)

// GiveWay lets others go on. It is called every half a millisecond or so of long work, by any
// number of goroutines: whoever waits in this program comes first, and while the processors
// are busy with others the work takes half as long again.
func GiveWay() {
	runtime.Gosched()
	at := time.Since(began)
	was := last.Load()
	if at-time.Duration(was) < every || !last.CompareAndSwap(was, int64(at)) {
		return
	}
	time.Sleep(nap)
	if woken := time.Since(began) - at; woken > late {
		time.Sleep(min(woken/2, most))
	}
}
