package service

import (
	"testing"

	"ableroster/internal/review"
)

// Of the reviews that were looked at, those used last are kept, however many there are:
// one that is open all the time is not read from its past day again and again.
func TestReviewsUsedLastAreKept(t *testing.T) {
	var c rounds
	if c.get(1) != nil {
		t.Fatal("something is kept from the start")
	}
	daily := &reviewed{}
	c.put(1, daily)
	for id := review.RoundID(2); id < 5*mostRounds; id++ {
		c.put(id, &reviewed{})
		if c.get(1) != daily {
			t.Fatalf("the review in use was thrown out after %d others", id-1)
		}
	}
	if n := c.kept.Len(); n != mostRounds {
		t.Errorf("%d are kept", n)
	}
}
