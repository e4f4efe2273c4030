package signin

import (
	"fmt"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

func TestFailuresSlowANameDownAndThenPauseIt(t *testing.T) {
	var x Throttle
	now := noon
	var waits []time.Duration
	for range 10 {
		if !x.Begin(now, Try{Account: "ines", Address: "10.0.0.1"}) {
			t.Fatal("was not let try after waiting")
		}
		w := x.Wait(now, Try{Account: "ines", Address: "10.0.0.1"})
		waits = append(waits, w)
		now = now.Add(w)
	}
	want := []time.Duration{0, 0, 0, 1, 2, 4, 8, 16, 32, 900}
	for i, w := range waits {
		if w != want[i]*time.Second {
			t.Fatalf("after failure %d one waits %s, want %d s", i+1, w, want[i])
		}
	}
	if x.Begin(noon, Try{Account: "ines", Address: "10.0.0.2"}) {
		t.Error("another address gets around the pause of a name")
	}
	if !x.Begin(noon, Try{Account: "tomas", Address: "10.0.0.1"}) {
		t.Error("one bad name keeps a whole address out")
	}
}

func TestAnAddressThatTriesManyNamesIsPausedToo(t *testing.T) {
	var x Throttle
	now := noon
	for i := range 100 {
		x.Begin(now, Try{Account: string(rune('a' + i)), Address: "10.0.0.1"})
		now = now.Add(longest) // each name is new: only the address remembers
	}
	if w := x.Wait(now, Try{Account: "fresh", Address: "10.0.0.1"}); w < 10*time.Minute {
		t.Errorf("after 100 failures an address waits %s", w)
	}
	if w := x.Wait(now, Try{Account: "fresh", Address: "10.0.0.2"}); w != 0 {
		t.Errorf("another address waits %s", w)
	}
}

// Of IPv6 whoever has one address has 2^64 of them: they are one counter.
func TestAddressesOfOneNetworkAreOneCounter(t *testing.T) {
	var x Throttle
	now := noon
	for i := range 100 {
		x.Begin(now, Try{Account: string(rune('a' + i)), Address: fmt.Sprintf("2001:db8:0:1::%x", i+1)})
		now = now.Add(longest)
	}
	if x.Wait(now, Try{Account: "fresh", Address: "2001:db8:0:1:ffff::1"}) < 10*time.Minute || x.Wait(now, Try{Account: "fresh", Address: "2001:db8:0:2::1"}) != 0 {
		t.Error("a network is not one counter, or two are")
	}
}

func TestSuccessForgetsAndTimeForgets(t *testing.T) {
	var x Throttle
	for range 3 {
		x.Begin(noon, Try{Account: "ines", Address: "a"})
	}
	x.Succeeded(Try{Account: "ines", Address: "a"})
	for range 3 {
		if !x.Begin(noon, Try{Account: "ines", Address: "a"}) {
			t.Fatal("a success was not a fresh start")
		}
	}
	x.Begin(noon, Try{Account: "ines", Address: "a"})
	if x.Begin(noon, Try{Account: "ines", Address: "a"}) {
		t.Fatal("the fourth failure does not slow down")
	}
	if !x.Begin(noon.Add(2*forget), Try{Account: "ines", Address: "a"}) || x.Wait(noon.Add(2*forget), Try{Account: "ines", Address: "a"}) != 0 {
		t.Error("is not forgotten after hours")
	}
}

// Tries made at the same moment count each other: a flood gets no more tries
// than a patient attacker.
func TestAFloodGetsNoMoreTriesThanOneByOne(t *testing.T) {
	var x Throttle
	var let atomic.Int64
	var wait sync.WaitGroup
	for range 500 {
		wait.Go(func() {
			if x.Begin(noon, Try{Account: "ines", Address: "10.0.0.1"}) {
				let.Add(1)
			}
		})
	}
	wait.Wait()
	if n := let.Load(); n != 4 {
		t.Errorf("%d of 500 tries at once were let through, want 4", n)
	}
}

// Whoever guesses from elsewhere keeps nobody out who comes from a browser of theirs;
// and guessing from that browser is slowed like any other.
func TestADeviceHasACountOfItsOwn(t *testing.T) {
	var x Throttle
	for range 10 {
		x.Begin(noon, Try{Account: "ines", Address: "10.0.0.9"})
	}
	device := Try{Device: "a browser"}
	if !x.Begin(noon, device) {
		t.Error("a guesser elsewhere keeps a known browser out")
	}
	for range 10 {
		x.Begin(noon, device)
	}
	if x.Begin(noon, device) {
		t.Error("a known browser may guess without end")
	}
}

// However many names and addresses are tried, so much is remembered and no more.
func TestWhatIsRememberedOfTriesIsBounded(t *testing.T) {
	var x Throttle
	for i := range 3 * mostTries {
		x.Begin(noon, Try{Account: strconv.Itoa(i)})
	}
	if n := x.tries.Len(); n > mostTries {
		t.Errorf("%d are remembered", n)
	}
}
