package laws

import (
	"fmt"

	"ableroster/internal/change"
	"ableroster/internal/operation/rules"
)

// Expectation is a random one about random subjects.
func (c *Chance) Expectation() change.Operation {
	o := &rules.SetExpectation{Key: fmt.Sprintf("e%d", c.IntN(6)), Application: c.application(), Action: c.Action(), Pattern: c.Pattern(), May: c.IntN(2) == 0, Blocking: c.IntN(2) == 0}
	switch c.IntN(6) {
	case 0:
		o.Nobody = true
	case 1, 2:
		o.User = c.User()
	default:
		o.Group = c.Group()
		o.Except = c.IntN(3) == 0
	}
	return o
}
