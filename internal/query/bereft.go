package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Bereft says of one user after another whether they held anything in an application from an
// instant on, and hold nothing there any more. A copy of one that was not asked yet remembers for
// itself: each goroutine has its own.
type Bereft struct {
	Before, After *access.Snapshot
	Changes       []access.RowChange // that led from the one to the other, where they are known
	App           fact.ApplicationID
	From          calendar.Instant

	had, has Anything
	bears    *Bearing // where one key says both
	key      []byte
	known    map[string]bool
}

// Is says whether one is.
func (x *Bereft) Is(id fact.UserID) bool {
	if x.known == nil {
		x.known = map[string]bool{}
		x.had, x.has = Anything{S: x.Before, App: x.App, From: x.From}, Anything{S: x.After, App: x.App, From: x.From}
		if groupsAlone(x.Changes) { // what roles permit is the same, too
			x.bears = bearing(map[fact.ApplicationID]bool{x.App: true}, x.Before, x.After)
			x.bears.alike = true
		}
	}
	if x.bears == nil {
		return x.had.Held(id) && !x.has.Held(id)
	}
	x.key = AppendChange(x.Before, x.After, x.bears, x.key[:0], id, x.From)
	is, known := x.known[string(x.key)]
	if !known {
		is = x.had.Held(id) && !x.has.Held(id)
		x.known[string(x.key)] = is
	}
	return is
}
