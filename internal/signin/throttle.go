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

const (
	freeTries  = 3
	pauseTries = 10
	pause      = 15 * time.Minute
	forget     = time.Hour
	mostKept   = 100_000
)

// Wait is how long somebody must wait before the next try under any of the
// keys, zero when they may go on.
func (t *Throttle) Wait(now time.Time, keys ...string) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	var wait time.Duration
	for _, k := range keys {
		if x := t.tries[k]; x != nil {
			wait = max(wait, x.until.Sub(now))
		}
	}
	return wait
}

// Failed counts a failure under each key. Each after the first three doubles
// the wait, from one second; the tenth pauses for a quarter of an hour.
func (t *Throttle) Failed(now time.Time, keys ...string) {
	t.mu.Lock()
	defer t.mu.Unlock()
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
	for _, k := range keys {
		x := t.tries[k]
		if x == nil || now.Sub(x.last) > forget {
			x = &tries{}
			t.tries[k] = x
		}
		x.failed++
		x.last = now
		switch {
		case x.failed >= pauseTries:
			x.until = now.Add(pause)
		case x.failed > freeTries:
			x.until = now.Add(time.Second << (x.failed - freeTries - 1))
		}
	}
}

// Succeeded forgets the failures under a key.
func (t *Throttle) Succeeded(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.tries, key)
}
