package signin

import (
	"net/netip"
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Throttle slows sign-in down after repeated failures and then pauses it: by the
// account that is tried and by the address it is tried from, without regard to
// whether the account exists; or by the device alone, where it is one from which that
// user signed in before. So whoever guesses slows down themselves, and not the user.
type Throttle struct {
	mu    sync.Mutex
	tries *simplelru.LRU[string, *tries]
}

// Try is under what one try is counted; blank fields count nothing.
type Try struct{ Account, Address, Device string }

func (t Try) counters() []counter {
	var out []counter
	for _, c := range []counter{{"account " + t.Account, t.Account, nameLimits}, {"address " + network(t.Address), t.Address, addressLimits}, {"device " + t.Device, t.Device, nameLimits}} {
		if c.of != "" {
			out = append(out, c)
		}
	}
	return out
}

// network is what one subscriber has: an address of IPv4, a /64 of IPv6 (RFC 6177), of
// which one machine has more addresses than can be counted.
func network(address string) string {
	if a, err := netip.ParseAddr(address); err == nil && a.Is6() && !a.Is4In6() {
		p, _ := a.Prefix(64)
		return p.String()
	}
	return address
}

type counter struct {
	key, of string
	limits
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
	pause   = 15 * time.Minute
	longest = time.Minute // between two tries before the pause
	forget  = time.Hour

	// mostTries bounds how many counters are kept: the ones used last.
	mostTries = 50_000
)

// Wait is how long somebody must wait before the next try, zero when they may
// go on.
func (t *Throttle) Wait(now time.Time, try Try) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.wait(now, try)
}

func (t *Throttle) wait(now time.Time, try Try) time.Duration {
	var wait time.Duration
	for _, c := range try.counters() {
		if x := t.of(c.key); x != nil {
			wait = max(wait, x.until.Sub(now))
		}
	}
	return wait
}

func (t *Throttle) of(key string) *tries {
	if t.tries == nil {
		t.tries, _ = simplelru.NewLRU[string, *tries](mostTries, nil)
	}
	x, _ := t.tries.Get(key)
	return x
}

// Begin says whether a try may be made now, and counts it as failed until
// Succeeded says otherwise: tries made at the same moment count each other.
// Each failure past the free ones doubles the wait, from one second; at the
// limit it pauses for a quarter of an hour.
func (t *Throttle) Begin(now time.Time, try Try) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.wait(now, try) > 0 {
		return false
	}
	for _, c := range try.counters() {
		t.count(now, c)
	}
	return true
}

func (t *Throttle) count(now time.Time, c counter) {
	x := t.of(c.key)
	if x == nil || now.Sub(x.last) > forget {
		x = &tries{}
		t.tries.Add(c.key, x)
	}
	x.failed++
	x.last = now
	switch {
	case x.failed >= c.pause:
		x.until = now.Add(pause)
	case x.failed > c.free:
		x.until = now.Add(min(time.Second<<min(x.failed-c.free-1, 10), longest))
	}
}

// Undo takes back a try that came to nothing: whether it was right was not found out.
func (t *Throttle) Undo(try Try) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, c := range try.counters() {
		if x := t.of(c.key); x != nil && x.failed > 0 {
			x.failed--
			x.until = time.Time{}
		}
	}
}

// Succeeded forgets the failures of an account or a device, and takes back the one
// try that was counted against the address.
func (t *Throttle) Succeeded(try Try) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, c := range try.counters() {
		x := t.of(c.key)
		switch {
		case x == nil:
		case c.limits == addressLimits:
			x.failed--
			x.until = time.Time{}
		default:
			t.tries.Remove(c.key)
		}
	}
}
