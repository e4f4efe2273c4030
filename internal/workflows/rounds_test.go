package workflows

import (
	"testing"

	"ableroster/internal/review"
	"ableroster/internal/seeing"
)

// Of the reviews that were looked at, those used last are kept, however many there are:
// one that is open all the time is not read from its past day again and again.
func TestReviewsUsedLastAreKept(t *testing.T) {
	var c seeing.Rounds
	if c.Get(1) != nil {
		t.Fatal("something is kept from the start")
	}
	daily := &seeing.Reviewed{}
	c.Put(1, daily)
	for id := review.RoundID(2); id < 5*seeing.MostRounds; id++ {
		c.Put(id, &seeing.Reviewed{})
		if c.Get(1) != daily {
			t.Fatalf("the review in use was thrown out after %d others", id-1)
		}
	}
	if n := c.Kept.Len(); n != seeing.MostRounds {
		t.Errorf("%d are kept", n)
	}
}
