package budget

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"
)

var ctx = context.Background()

// clock is a time that tests move.
type clock struct {
	sync.Mutex
	now time.Time
}

func (c *clock) read() time.Time {
	c.Lock()
	defer c.Unlock()
	return c.now
}

func (c *clock) move(d time.Duration) {
	c.Lock()
	defer c.Unlock()
	c.now = c.now.Add(d)
}

func enter(t *testing.T, b *Budget, caller uint32) func() {
	t.Helper()
	leave, err := b.Enter(ctx, caller, 0)
	if err != nil {
		t.Fatal(err)
	}
	return leave
}

// queue has callers wait in this order, and tells who comes in as places are given
// back one by one.
func queue(t *testing.T, b *Budget, leave func(), callers ...uint32) []uint32 {
	t.Helper()
	came := make(chan uint32)
	next := make(chan struct{})
	var gone sync.WaitGroup
	for i, c := range callers {
		gone.Go(func() {
			l, err := b.Enter(ctx, c, 0)
			if err != nil {
				t.Error(err)
			}
			came <- c
			<-next
			l()
		})
		for {
			b.mu.Lock()
			n := len(b.waiting)
			b.mu.Unlock()
			if n == i+1 {
				break
			}
			time.Sleep(time.Millisecond)
		}
	}
	leave()
	var out []uint32
	for range callers {
		out = append(out, <-came)
		next <- struct{}{}
	}
	gone.Wait()
	return out
}

func TestWhoeverHasUsedMoreWaitsBehindWhoeverHasUsedLess(t *testing.T) {
	c := &clock{now: time.Now()}
	b := New(1, 8, c.read)
	leave := enter(t, b, 1)
	c.move(20 * time.Second)
	leave()
	leave = enter(t, b, 2)
	c.move(5 * time.Second)
	leave()
	if got := queue(t, b, enter(t, b, 9), 1, 2, 3); got[0] != 3 || got[1] != 2 || got[2] != 1 {
		t.Errorf("came in as %v", got)
	}
	c.move(time.Hour) // long ago: all are alike, and come as they came
	if got := queue(t, b, enter(t, b, 9), 1, 2, 3); got[0] != 1 || got[1] != 2 || got[2] != 3 {
		t.Errorf("an hour later they came in as %v", got)
	}
	if len(b.used) > 4 {
		t.Errorf("%d callers are remembered", len(b.used))
	}
}

// One caller who asks for ten things at once has one place; others come in meanwhile.
func TestNobodyHasTwoPlaces(t *testing.T) {
	b := New(2, 8, time.Now)
	leave := enter(t, b, 1)
	short, cancel := context.WithTimeout(ctx, 20*time.Millisecond)
	defer cancel()
	if _, err := b.Enter(short, 1, 0); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("a second place: %v", err)
	}
	enter(t, b, 2)()
	leave()
	enter(t, b, 1)()
}

func TestWhoeverGoesAwayLeavesTheQueue(t *testing.T) {
	b := New(1, 8, time.Now)
	leave := enter(t, b, 1)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := b.Enter(gone, 2, 0); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	leave()
	leave() // twice is once
	enter(t, b, 3)()
	if b.free != 1 || len(b.waiting) != 0 || len(b.running) != 0 {
		t.Errorf("%d free, %d waiting, %d running", b.free, len(b.waiting), len(b.running))
	}
}

func TestManyAtOnceNeverHaveMoreThanThereIs(t *testing.T) {
	b := New(3, 8, time.Now)
	var mu sync.Mutex
	in, most, held, mostHeld := 0, 0, 0, 0
	var wait sync.WaitGroup
	for i := range 60 {
		wait.Go(func() {
			leave, err := b.Enter(ctx, uint32(i%7), int64(i%5))
			if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			in++
			held += i % 5
			most, mostHeld = max(most, in), max(mostHeld, held)
			mu.Unlock()
			time.Sleep(time.Millisecond)
			mu.Lock()
			in--
			held -= i % 5
			mu.Unlock()
			leave()
		})
	}
	wait.Wait()
	if most != 3 || b.free != 3 || mostHeld > 8 || b.bytes != 8 {
		t.Errorf("%d at once with %d bytes, %d and %d bytes free at the end", most, mostHeld, b.free, b.bytes)
	}
}

// What is too large beside the others waits, however many places are free; what wants no
// bytes goes past it, and what wants fewer does not: it would wait for good.
func TestWhatIsSentAtOnceFitsInMemory(t *testing.T) {
	b := New(9, 8, time.Now)
	large, err := b.Enter(ctx, 1, 100) // more than there is counts as all there is
	if err != nil {
		t.Fatal(err)
	}
	came := make(chan uint32, 2)
	var gone sync.WaitGroup
	for i, x := range []struct {
		caller uint32
		bytes  int64
	}{{2, 8}, {3, 1}} {
		gone.Go(func() {
			leave, err := b.Enter(ctx, x.caller, x.bytes)
			if err != nil {
				t.Error(err)
				return
			}
			came <- x.caller
			leave()
		})
		for waiting := 0; waiting <= i; {
			b.mu.Lock()
			waiting = len(b.waiting)
			b.mu.Unlock()
			time.Sleep(time.Millisecond)
		}
	}
	enter(t, b, 4)()
	large()
	if first, second := <-came, <-came; first != 2 || second != 3 {
		t.Errorf("%d came before %d", first, second)
	}
	gone.Wait()
}
