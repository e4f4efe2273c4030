package seeing

import (
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/review"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// looked is what a round looks at: its lines, and how many of each unit hold each
// role. Both follow from a past revision and never change.
type Reviewed struct {
	Lines []review.Item
	Keys  map[review.ItemKey]bool
	Peers map[UnitRole]int
	Units map[string]int
}

// UnitRole is a role as those of one unit hold it.
type UnitRole struct {
	Unit string
	Role fact.RoleID
}

// Rounds keeps what the rounds last read look at.
type Rounds struct {
	mu   sync.Mutex
	Kept *simplelru.LRU[review.RoundID, *Reviewed]
}

// MostRounds bounds how many are kept at once, those used last: some 80 bytes a line
// each.
const MostRounds = 100

// Get is what was worked out of a round, nil for nothing.
func (c *Rounds) Get(id review.RoundID) *Reviewed {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.Kept == nil {
		return nil
	}
	x, _ := c.Kept.Get(id)
	return x
}

// Put keeps what was worked out of a round.
func (c *Rounds) Put(id review.RoundID, x *Reviewed) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.Kept == nil {
		c.Kept, _ = simplelru.NewLRU[review.RoundID, *Reviewed](MostRounds, nil)
	}
	c.Kept.Add(id, x)
}

// ReadsPendingRemoval says whether a removal waits for the caller, or they see to reviews.
func (v *View) ReadsPendingRemoval(p *review.PendingRemoval) bool {
	return held.ActsFor(v.today, v.Caller.User, p.Owner(v.today), calendar.At(v.Service.Clock())) || v.Rights().May(access.ActUpdate, "reviews")
}
