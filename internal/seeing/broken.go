package seeing

import (
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// broken keeps who breaks which expectation by the newest facts, over all time,
// so that looking again is no more work than what was changed.
type broken struct {
	Mu sync.Mutex
	Of *access.Snapshot
	By map[fact.ExpectationID][]query.Broken
}
