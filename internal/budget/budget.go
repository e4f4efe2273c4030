// Package budget shares processors and memory out among callers who ask for much: whoever
// has used more of the last minute waits behind whoever has used less, nobody has more
// than one place at a time, and what all send at once fits in the memory that is set aside
// for it. What is soon answered needs no place.
package budget

import (
	"context"
	"errors"
	"math"
	"sync"
	"time"
)

// ErrBusy says that a caller has waited for a place as long as one waits. They may try
// again later.
var ErrBusy = errors.New("others come first: what was asked for takes much, and you have had much already")

const (
	halves = 30 * time.Second // after which half of what was used counts no more
	waits  = 15 * time.Second // for a place, at most
)

// Budget is a number of places, and of bytes. It may be used by several goroutines. The
// zero Budget has none: see New.
type Budget struct {
	now func() time.Time

	mu      sync.Mutex
	free    int
	bytes   int64           // that are free
	all     int64           // bytes there are
	running map[uint32]bool // who has a place
	used    map[uint32]use
	waiting []*waiter // in the order in which they came
}

// use is how much somebody has used, as of an instant.
type use struct {
	seconds float64
	at      time.Time
}

type waiter struct {
	caller uint32
	bytes  int64
	ready  chan struct{} // closed once they have a place
}

// New is a budget of so many places and bytes; now tells the time.
func New(places int, bytes int64, now func() time.Time) *Budget {
	return &Budget{now: now, free: places, bytes: bytes, all: bytes, running: map[uint32]bool{}, used: map[uint32]use{}}
}

// Enter waits for a place and for the bytes that the call holds in memory, and takes them;
// more than there are count as all. leave gives both back, once, with the time they were
// held counted. It fails with ErrBusy, or when the context ends.
func (b *Budget) Enter(ctx context.Context, caller uint32, bytes int64) (leave func(), err error) {
	w := &waiter{caller, min(bytes, b.all), make(chan struct{})}
	b.mu.Lock()
	b.waiting = append(b.waiting, w)
	b.call()
	b.mu.Unlock()
	timer := time.NewTimer(waits)
	defer timer.Stop()
	select {
	case <-w.ready:
	case <-ctx.Done():
		err = ctx.Err()
	case <-timer.C:
		err = ErrBusy
	}
	if err != nil && b.gaveUp(w) {
		return nil, err
	}
	began := b.now()
	var once sync.Once
	return func() { once.Do(func() { b.leave(w, began) }) }, nil
}

// call gives free places to whoever waits and has used least. While there are too few
// bytes for them, nobody else goes first who wants some: they would wait for good. The
// caller holds the lock.
func (b *Budget) call() {
	for b.free > 0 {
		best, least := -1, math.Inf(1)  // of those who want no bytes, or for whom there are enough
		next, fewest := -1, math.Inf(1) // of those who want some
		for i, w := range b.waiting {
			s := b.spent(w.caller)
			switch {
			case b.running[w.caller]:
			case w.bytes == 0 && s < least:
				best, least = i, s
			case w.bytes > 0 && s < fewest:
				next, fewest = i, s
			}
		}
		if next >= 0 && b.waiting[next].bytes <= b.bytes && fewest <= least && (best < 0 || fewest < least || next < best) {
			best = next
		}
		if best < 0 {
			return
		}
		w := b.waiting[best]
		b.waiting = append(b.waiting[:best], b.waiting[best+1:]...)
		b.free--
		b.bytes -= w.bytes
		b.running[w.caller] = true
		close(w.ready)
	}
}

// gaveUp takes a waiter out of the queue, and says whether they were still in it.
func (b *Budget) gaveUp(w *waiter) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	for i, x := range b.waiting {
		if x == w {
			b.waiting = append(b.waiting[:i], b.waiting[i+1:]...)
			return true
		}
	}
	return false
}

func (b *Budget) leave(w *waiter, began time.Time) {
	b.mu.Lock()
	defer b.mu.Unlock()
	now := b.now()
	b.used[w.caller] = use{b.spent(w.caller) + now.Sub(began).Seconds(), now}
	delete(b.running, w.caller)
	b.free++
	b.bytes += w.bytes
	for id := range b.used {
		if b.spent(id) == 0 {
			delete(b.used, id)
		}
	}
	b.call()
}

// spent is how much of the last while somebody has used, in seconds.
func (b *Budget) spent(caller uint32) float64 {
	u, ok := b.used[caller]
	if !ok {
		return 0
	}
	if s := u.seconds * math.Pow(0.5, b.now().Sub(u.at).Seconds()/halves.Seconds()); s >= 0.001 {
		return s
	}
	return 0
}
