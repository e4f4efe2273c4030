package laws

import (
	"fmt"
	"testing"

	"ableroster/internal/access"
)

// organisations is how many random ones each law is tried on.
const organisations = 60

// EachOrganisation runs a test on random organisations.
func EachOrganisation(t *testing.T, f func(t *testing.T, c *Chance, s *access.Snapshot)) {
	t.Helper()
	for seed := range uint64(organisations) {
		c := NewChance(seed)
		s := c.Organisation(t)
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) { f(t, c, s) })
	}
}
