package seeing

import (
	"fmt"
	"math"
	"sync"
	"time"

	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/wire"
)

// Some refusals tell their author something of what they may not see, and cannot help it:
// that a name is taken, that an SoD rule is prevented or an expectation would be broken,
// that nobody else could administer. They are recorded, and whoever gets many is slowed
// down: nobody spells out by them what there is.

const (
	tellsAtOnce = 30              // such refusals at once
	tellsAgain  = 2 * time.Second // after which there may be one more
	mostSlow    = 10 * time.Minute
)

// telling is who was told how much. The zero telling is ready; it may be used by several
// goroutines.
type telling struct {
	mu   sync.Mutex
	full map[fact.UserID]time.Time // when each may be told as much as ever
}

// spend counts what somebody was told.
func (t *telling) spend(id fact.UserID, n int, now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.full == nil {
		t.full = map[fact.UserID]time.Time{}
	}
	for other, at := range t.full {
		if !at.After(now) {
			delete(t.full, other)
		}
	}
	from := now
	if at := t.full[id]; at.After(now) {
		from = at
	}
	until := from.Add(time.Duration(min(n, 10_000)) * tellsAgain)
	if most := now.Add(tellsAtOnce*tellsAgain + mostSlow); until.After(most) {
		until = most
	}
	t.full[id] = until
}

// Wait refuses whoever was told too much just now, and says for how long.
func (t *telling) Wait(id fact.UserID, now time.Time) error {
	t.mu.Lock()
	full, told := t.full[id]
	t.mu.Unlock()
	left := full.Sub(now) - tellsAtOnce*tellsAgain
	if !told || left <= 0 {
		return nil
	}
	return Problem(KindTooMany, 429, "Too many attempts", "Many of your changes were refused for what you may not see, such as names that are taken. Try again in %s.", seconds(left))
}

func seconds(d time.Duration) string {
	return fmt.Sprint(fact.Count(int(math.Ceil(d.Seconds())), "second"))
}

// Told notes that a refusal tells the caller something they may not see.
func (v *View) Told(n int, what string) {
	if n > 0 {
		v.tells = map[string]int{what: n} // once, however often the change is judged
	}
}

// Settle counts and records what the caller was told by a refused change.
func (v *View) Settle() {
	for what, n := range v.tells {
		v.Service.Telling.spend(v.Caller.User, n, v.Service.Clock())
		v.Service.WasRefused(v.Ctx, v.Caller, "a change", "refused for "+what, nil)
	}
}

// Tells is how many of the guard rails in the way speak of more than the caller sees.
func Tells(stop []wire.Rail) (n int) {
	for _, r := range stop {
		switch effect.RailCode(r.Code) {
		case effect.LastAdministrator, effect.ViolationPrevented, effect.ExpectationBroken:
			n++
		}
	}
	return n
}
