package signin

import (
	"sync"
	"time"
)

// Throttle slows sign-in down after repeated failures and then pauses it, by
// name and by address alike, without regard to whether the name exists.
type Throttle struct {
	mu    sync.Mutex
	tries map[string]*tries
}

type tries struct {
	failed int
	until  time.Time // not before this
	last   time.Time
}

// limits say when trying gets slower and when it pauses. Many people may share
// an address, so it has more room than a name.
type limits struct{ free, pause int }

var (
	nameLimits    = limits{free: 3, pause: 10}
	addressLimits = limits{free: 30, pause: 100}
)

const (
	pause    = 15 * time.Minute
	longest  = time.Minute // between two tries before the pause
	forget   = time.Hour
	mostKept = 100_000
)

// Wait is how long somebody must wait before the next try, zero when they may
// go on.
func (t *Throttle) Wait(now time.Time, name, address string) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.wait(now, name, address)
}

func (t *Throttle) wait(now time.Time, name, address string) time.Duration {
	var wait time.Duration
	for _, k := range []string{"name " + name, "address " + address} {
		if x := t.tries[k]; x != nil {
			wait = max(wait, x.until.Sub(now))
		}
	}
	return wait
}

// Begin says whether a try may be made now, and counts it as failed until
// Succeeded says otherwise: tries made at the same moment count each other.
// Each failure past the free ones doubles the wait, from one second; at the
// limit it pauses for a quarter of an hour.
func (t *Throttle) Begin(now time.Time, name, address string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.wait(now, name, address) > 0 {
		return false
	}
	if t.tries == nil {
		t.tries = map[string]*tries{}
	}
	if len(t.tries) > mostKept {
		for k, x := range t.tries {
			if now.Sub(x.last) > pause {
				delete(t.tries, k)
			}
		}
	}
	t.count(now, "name "+name, nameLimits)
	t.count(now, "address "+address, addressLimits)
	return true
}

func (t *Throttle) count(now time.Time, key string, l limits) {
	x := t.tries[key]
	if x == nil || now.Sub(x.last) > forget {
		x = &tries{}
		t.tries[key] = x
	}
	x.failed++
	x.last = now
	switch {
	case x.failed >= l.pause:
		x.until = now.Add(pause)
	case x.failed > l.free:
		x.until = now.Add(min(time.Second<<min(x.failed-l.free-1, 10), longest))
	}
}

// Succeeded forgets the failures of a name, and takes back the one try that
// was counted against the address.
func (t *Throttle) Succeeded(name, address string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.tries, "name "+name)
	if x := t.tries["address "+address]; x != nil {
		x.failed--
		x.until = time.Time{}
	}
}
